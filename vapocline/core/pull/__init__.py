"""A shot while it is pulled: steered, watched, cued, and looked back on."""
