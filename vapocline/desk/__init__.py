"""One function per thing a user does. Transactions begin and end here."""
