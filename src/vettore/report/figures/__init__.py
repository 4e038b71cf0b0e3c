"""The figures of a study: what each shows, how it is drawn on paper, and where its parts stand."""
