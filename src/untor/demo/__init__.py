"""Port Ellery, an invented small harbour: data, database, views and templates that show what Untor does."""
