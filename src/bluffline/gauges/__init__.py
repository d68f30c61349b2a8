"""Gauges as pictures: scales, graticules and traces, for the desk, the command line and reports alike. Knows no Qt."""
