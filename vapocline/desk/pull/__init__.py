"""Pulling a shot."""
