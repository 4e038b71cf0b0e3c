"""Readers and writers: delimited text and the study file."""

import csv

# A cell may be as long as it likes; the reader's own limit is for another kind of file.
csv.field_size_limit(2**31 - 1)
STUDY_SUFFIX = ".vettore"
