"""Exporting and importing."""
