"""One box from the carton to its socket."""
