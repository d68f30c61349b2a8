"""The chart in hand: its panel, its marks, what is done with it."""
