"""State machines and tables of the standards: in which context a value is printed. Knows no template language."""
