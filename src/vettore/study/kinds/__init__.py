"""The kinds of parts that a study is made of: one file each; listed.py is the list of them."""
