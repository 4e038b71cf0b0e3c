"""Readers and writers: delimited text and the study file."""

STUDY_SUFFIX = ".vettore"
