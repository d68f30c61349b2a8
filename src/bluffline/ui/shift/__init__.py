"""The place of the desk for the files in hand."""
