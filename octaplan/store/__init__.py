"""Records: SQLite through SQLAlchemy, with the portfolio kept in memory beside it."""
