"""The web application: FastAPI, sessions and permissions, one router per page."""
