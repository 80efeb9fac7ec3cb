"""The types that templates write down for what they take."""
