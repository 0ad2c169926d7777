"""Calibrations: what was measured, the curve through it, its error, and whether it drifted."""
