"""The types of a template's expressions, and what they say against them."""
