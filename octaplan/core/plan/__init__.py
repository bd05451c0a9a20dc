"""What is planned, and what follows from one plan alone."""
