"""The commands of the window, a file a group."""
