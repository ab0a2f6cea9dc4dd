"""PostgreSQL: tables, engine, queries, migrations. Functions return frozen values, never rows.

tables      every table and constraint                 engine      connections and ids
accounts sheets machines plans history                 queries, one file a subject
migrations/ Alembic, from the first table on
"""
