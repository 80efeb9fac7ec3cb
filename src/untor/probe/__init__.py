"""Renders a page with hostile values and compares its structure, as parsers see it, with that of the harmless page."""
