"""The job itself: addresses, plans, claims, overlaps and rules. No web, no database, no files."""
