"""Planning a shot: goals, styles, suggestions, fixes and translation."""
