"""Editing the rows of an outlet on the Desk: what was done, sending it, and deciding what two did at once."""
