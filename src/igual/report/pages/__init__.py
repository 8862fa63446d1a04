"""Results as pages: one HTML file each, with nothing to fetch; whatever comes from a file is text in it."""
