"""Sentences and figures, from results."""
