"""A bench in five answers: forecasts while they are given, and the bench that comes of them."""
