"""What is wrong, across all sites."""
