"""One spelling of marks, which never changes a page."""
