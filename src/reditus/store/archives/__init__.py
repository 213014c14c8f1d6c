"""What is kept beside the blocks of an archive, and what happens to archives in the course of time."""
