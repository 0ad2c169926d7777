"""What logged shots teach of coffee, grinder and machine, and whether it may be relied on."""
