"""The machine: folders of the user, files written whole, the log."""
