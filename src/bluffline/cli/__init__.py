"""The command line: the same jobs as the desk, without a window."""
