"""The picture: shown, compared, measured, drawn upon, played."""
