"""Backups: archive files in a folder, each run adding what is new. docs/backup.md."""
