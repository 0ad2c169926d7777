"""Tasting and comparing."""
