"""What was measured along a line: profiles, their stretches, and how they are drawn."""
