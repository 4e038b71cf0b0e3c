"""The sections of a report, one file each; listed.py has their order."""
