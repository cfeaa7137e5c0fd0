"""`keen rig`: what describes a rig, and what is said of it."""

from keenlattice.cli.grouped import group

OF_A_RIG = {
    "use": "Say which rig a logbook is for.",
    "facts": "Show what a rig says of itself, or type that in.",
    "game": "List a rig's games, or tell it of one.",
    "match": "Say which game's profile an executable would get.",
    "next": "Say what a study by hand waits for, or take it.",
    "take-stock": "Note what you see on a rig changed by hand.",
    "sheet": "Show the sheet of a rig changed by hand; tick it off.",
    "chore": "List the chores of a rig, or do one.",
    "restart": "Restart what waits for that.",
    "recover": "Finish or undo a change that was cut short."}

app = group("keenlattice.cli.commands.rig", {"Commands": OF_A_RIG})
