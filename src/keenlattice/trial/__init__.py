"""Trials: plans runs, turns their numbers into verdicts."""
