"""Studies told in blocks, figures, and pages: from results and from what the logbook keeps, never from rigs."""
