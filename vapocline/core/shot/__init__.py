"""A shot as it was recorded: traces, events, result."""
