"""Use cases of a coffee's trail."""
