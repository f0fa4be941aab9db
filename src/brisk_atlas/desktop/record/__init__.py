"""The pieces of the Record page: outline, readings, checks, and the tools for many records."""
