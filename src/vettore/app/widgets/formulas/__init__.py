"""Parts to write formulas with."""
