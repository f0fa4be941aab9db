"""Attacks on the program: damaged files, killed writes and random input, seeded and bounded in time."""
