"""The rules of the job: profiles, the puck, shots and tasting. No web, no database, no files."""
