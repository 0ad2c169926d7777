"""A coffee's shots in order: what each came from, what worked, which is best."""
