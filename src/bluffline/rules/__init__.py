"""Delivery rules: their files, the shots, and the findings they make of a survey."""
