"""A profile on a machine it was not made for: misfits and their mends, and the nearest program."""
