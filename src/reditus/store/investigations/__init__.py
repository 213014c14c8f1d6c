"""Investigations, their exhibits, and what a bundle takes of archives."""
