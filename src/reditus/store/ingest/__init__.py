"""Batches from recorders into blocks: the write queue, and a fast and a slow way to append."""
