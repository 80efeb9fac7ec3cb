"""The checker: everything about a site's templates that can be known without data."""
