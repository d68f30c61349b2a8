"""Frames made ready for a screen, and how they are looked at, without the interface."""
