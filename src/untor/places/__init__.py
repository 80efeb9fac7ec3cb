"""Where a value lands: the state machines of the standards and their tables; the template language is not known here."""
