"""What every room stands on: quantities, problems, documents, rounding."""
