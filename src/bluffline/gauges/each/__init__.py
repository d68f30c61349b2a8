"""The instruments, one a module; see `bluffline.gauges.instrument.Instrument`."""
