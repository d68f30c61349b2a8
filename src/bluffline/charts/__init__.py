"""Filmed charts and cards: references, finding, sampling, judging and fitting."""
