"""Functions over arrays of distinct texts (Arrow large_string; null stays null)."""
