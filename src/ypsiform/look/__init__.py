"""What visitors see, as values: for pages that are shown to people, and held against a site."""
