"""Frames and clicks by a Wayland compositor, and its outputs."""
