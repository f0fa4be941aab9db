"""Elevation in three dimensions: rays from an eye to heights that are read as finely as they are seen."""
