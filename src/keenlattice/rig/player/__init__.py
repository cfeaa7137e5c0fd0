"""A rig that we cannot write to: a player changes it by hand, from a run sheet, and says what they did."""

SHEET = "sheet.json"
"""Where the open sheet lies, in the rig's folder."""
