"""Shows where each value of a page is printed, its escaping, and what becomes of one value."""
