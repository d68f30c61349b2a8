"""Measurements of native samples: one fused pass a frame, gauge counts, the active picture."""
