"""Models of several equations: measured columns that share coefficients, states that follow rates of change."""
