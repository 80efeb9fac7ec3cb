"""What generated code calls while it renders: reading values, iterating, locating errors."""
