"""The language server: what editors ask about templates, over the Language Server Protocol."""
