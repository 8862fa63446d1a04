"""The sample data, and the full example told over it."""
