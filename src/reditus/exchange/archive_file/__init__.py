"""An archive, or a window of one, as a file that checks itself: docs/archive-files.md."""
