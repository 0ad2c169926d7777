"""PostgreSQL: tables, migrations, queries, and the private cluster the start command runs."""
