"""Profiles: phases, exits, and what differs between two."""
