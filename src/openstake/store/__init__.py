"""SQLite through SQLAlchemy: rows that are added and never changed, one writer, and the Book's hash chain."""
