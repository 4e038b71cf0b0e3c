"""Columns in numbers: what they hold, how they scatter, and made ones to practise on."""
