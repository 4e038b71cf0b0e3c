"""What a report can be written as, one file each; listed.py has the formats."""
