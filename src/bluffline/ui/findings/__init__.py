"""The findings and their marks."""
