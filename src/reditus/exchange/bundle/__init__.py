"""Bundles: an investigation with its exhibits and what they stand on in one file, which another Reditus opens."""
