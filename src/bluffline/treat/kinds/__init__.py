"""The kinds of steps, a module each; `catalogue` finds them here."""
