"""This PC under Windows: what is written through the system's own documented functions."""
