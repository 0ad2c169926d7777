"""The port a machine and its scale speak, and a simulated machine behind it."""
