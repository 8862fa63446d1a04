"""Pure computation: distinct values in, distinct values out; no files, no printing."""
