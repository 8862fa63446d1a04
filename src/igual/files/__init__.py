"""Tables, rulebooks and lists: how they are read and written."""
