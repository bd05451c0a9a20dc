"""Files in and out: intake tables, plan JSON."""
