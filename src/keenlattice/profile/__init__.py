"""What a player wants: layers, resolution, comparison, checks. Needs no rig and no logbook."""
