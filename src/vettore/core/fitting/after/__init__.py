"""What is said of a fit that is made: checks, ranges, comparisons, the working."""
