"""Learning from the bench's own shots."""
