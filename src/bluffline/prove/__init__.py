"""Trying a treatment, writing it, reading the file back, and what proves it."""
