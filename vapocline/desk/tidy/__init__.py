"""Tidying recordings."""
