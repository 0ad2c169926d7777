"""Routes over HTTP: parse, one call to the desk, answer."""
