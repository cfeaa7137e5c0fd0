"""Speed, each figure beside its yardstick in the same run: `make bench`."""
