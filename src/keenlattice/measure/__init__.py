"""Samples to numbers: captures, and the metrics of them. Knows nothing of settings."""
