"""Where templates come from: files in folders, and compiled code that is kept on disk."""
