"""The window. Thin: widgets ask the core and show the answer."""
