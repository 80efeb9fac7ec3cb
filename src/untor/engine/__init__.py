"""The engine: options, rendering, pages."""
