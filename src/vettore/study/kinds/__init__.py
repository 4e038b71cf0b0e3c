"""The kinds of parts that a study is made of."""
