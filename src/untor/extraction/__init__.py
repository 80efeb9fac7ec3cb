"""Finds the messages of templates for translators, and compares catalogues with them."""
