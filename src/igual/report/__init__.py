"""What results look like: plain records for machines and DataFrames, tables for the terminal."""
