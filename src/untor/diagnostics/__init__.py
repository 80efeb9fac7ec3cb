"""What can be wrong with a template, as data: codes, problems, and the places they point to."""
