"""Python beside the window, in a process of its own."""
