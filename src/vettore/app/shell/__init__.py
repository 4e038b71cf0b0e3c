"""What stands around the pages: menus, help, looks, saving, and what they need of the window."""
