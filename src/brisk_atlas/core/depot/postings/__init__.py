"""Postings of a Depot: their rows with all that was done to them, the outlets through which others see them, and who
may do what. Nothing here knows HTTP."""
