"""The seeded generator of Tolvane Island. `python -m brisk_atlas.demo.generate` writes it all."""
