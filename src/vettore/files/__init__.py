"""Readers and writers: delimited text and the study file."""
