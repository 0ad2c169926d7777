"""What one owns: coffees, grinders, baskets, machines."""
