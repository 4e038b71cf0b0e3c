"""The look shared by the window and the report: colours by role, type, typefaces."""
