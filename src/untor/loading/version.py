"""The version of the package; compiled code that is kept on disk depends on it."""

VERSION = "0.2.0"
