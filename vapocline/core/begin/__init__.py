"""An own bench in five answers: what is said, what stays open, and what can be forecast already."""
