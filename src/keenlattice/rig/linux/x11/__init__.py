"""Frames and clicks by the X server, and its monitors."""
