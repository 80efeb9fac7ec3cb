"""What generated code calls while it renders: looking up values, looping, telling what went wrong."""
