"""Rulebooks and what they make of tables: pure computation over distinct values."""
