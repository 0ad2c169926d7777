"""Coffee, grinder, basket and recipe."""
