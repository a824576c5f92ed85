"""PostgreSQL: tables, migrations, reading and writing in bulk. The record; everything else can be derived from it again."""
