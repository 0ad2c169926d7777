"""The same shot on another machine."""
