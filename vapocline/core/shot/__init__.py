"""A recorded shot: traces, events, result."""
