"""Simulated devices, each kind in a process of its own."""
