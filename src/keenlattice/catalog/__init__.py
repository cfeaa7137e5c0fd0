"""The settings themselves, as data files plus a small typed model."""
