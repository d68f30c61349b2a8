"""The steps of the shot in view."""
