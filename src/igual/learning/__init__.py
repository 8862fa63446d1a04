"""Rules inferred from examples: a search over chains of rules, guided by the examples and all values of a column."""
