"""A recorded shot as a tidy profile: the fewest phases that follow it closely enough."""
