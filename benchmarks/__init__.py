"""Figures of speed and memory, each beside named peers in one run: `make bench`."""
