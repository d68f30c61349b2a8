"""The skyline."""
