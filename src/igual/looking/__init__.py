"""The first look at a table: surveys, tallies, comparisons, headers."""
