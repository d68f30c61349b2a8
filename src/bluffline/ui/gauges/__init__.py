"""The gauges: drawn, set up, exported."""
