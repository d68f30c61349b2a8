"""Corrections: steps, the ordered treatment, and the least treatment that makes a shot legal."""
