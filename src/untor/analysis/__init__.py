"""The only meeting point of language and places: walks a tree through the state machines and picks the escaping."""
