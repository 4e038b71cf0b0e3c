"""The figure of a fit, opened in place on the Report page: what is dragged on it, and what is chosen beside it."""
