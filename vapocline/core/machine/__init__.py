"""Machines: what they command, their limits, steps, slots, cautions and calibrations."""
