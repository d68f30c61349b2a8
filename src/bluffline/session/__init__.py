"""What the desk is about, without the desk: the programme under control, its treatments, undo, settings."""
