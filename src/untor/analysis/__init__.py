"""Where the language meets the contexts: walks a tree through the state machines and picks the escaping."""
