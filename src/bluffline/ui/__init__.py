"""The desk: PyQt6 widgets that draw the session and send it intents."""
