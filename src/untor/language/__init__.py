"""From source text to a tree: marks, expressions, steps. Problems become records; HTML is not known here."""
