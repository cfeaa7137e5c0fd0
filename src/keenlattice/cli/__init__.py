"""The command line: one small file per command, each of which parses, calls the library and prints."""
