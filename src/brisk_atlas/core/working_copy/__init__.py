"""Copies of outlets that are edited here: the rows as the Depot last showed them, and what was done to them since."""
