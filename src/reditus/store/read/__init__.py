"""Columns of blocks back out of the database: readers, and caches of blocks and schemas."""
