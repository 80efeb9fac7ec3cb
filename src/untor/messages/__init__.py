"""Messages in several languages: what translators see of them, and catalogues of translations."""
