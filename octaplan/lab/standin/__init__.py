"""Stand-ins: boxes that are not there, made from hardware types."""
