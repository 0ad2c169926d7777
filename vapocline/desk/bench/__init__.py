"""The setup in force."""
