"""The pages, one file each, in the order of the work."""
