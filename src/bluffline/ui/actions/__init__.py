"""What the operator does: every command, and the controllers that commands act by."""
