"""The Equations page: rates of change, reactions, and several measured columns that share coefficients."""
