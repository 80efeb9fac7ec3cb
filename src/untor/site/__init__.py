"""Builds a whole site of files: pages from data, static files, a sitemap."""
