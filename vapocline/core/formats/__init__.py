"""Stored and exchanged documents: versions, upgrades, schemas."""
