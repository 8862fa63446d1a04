"""Matching values to entries: candidates, similarity, score and decision, each on its own."""
