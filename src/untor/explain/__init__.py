"""Shows where each value of a page lands, how it is escaped there, and what becomes of one value."""
