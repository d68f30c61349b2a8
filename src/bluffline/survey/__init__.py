"""Surveying: every frame measured once, judged by the rules in force; and which file it was that was read."""
