"""The Surface page: its state, what is worked out for it, how it is shown, and the widgets that draw that."""
