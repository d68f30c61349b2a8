"""The shift: many files in hand, their states, where the work on them is done, and what came of it."""
