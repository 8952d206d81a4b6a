"""Storage: SQLAlchemy models, migrations, the local PostgreSQL server, and what the screens read
and write.
"""
