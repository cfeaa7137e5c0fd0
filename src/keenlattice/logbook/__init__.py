"""Remembers versions, applies with their restore points, captures and trials, in one folder."""
