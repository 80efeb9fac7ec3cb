"""The checker: all that can be known of a site's templates without data."""
