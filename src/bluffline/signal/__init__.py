"""Colour arithmetic of the standards: no files, no interface."""
