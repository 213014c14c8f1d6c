"""The database itself: its cluster, tables, statements, migrations, connections and binary forms."""
