"""Reading shots afterwards."""
