"""`keen pool`: what the evidence of many rigs says."""

from keenlattice.cli.grouped import group

OF_A_POOL = {
    "read": "Pool evidence of many rigs: what does each change do?",
    "look": "Show what the pool says, and what to expect here.",
    "order": "Say which of many changes to try first here.",
    "write": "Write your own evidence, for others to pool."}

app = group("keenlattice.cli.commands.pool", {"Commands": OF_A_POOL})
