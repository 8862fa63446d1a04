"""Tasks for `learn`: those that its numbers are fitted to, those held out, and how many examples each takes."""
