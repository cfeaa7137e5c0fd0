"""The stand-in rig: a fictional machine whose whole state is a folder, and which simulates the games it plays."""
