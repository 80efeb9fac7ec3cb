"""Where a value lands: state machines and tables of the standards; the template language is not known here."""
