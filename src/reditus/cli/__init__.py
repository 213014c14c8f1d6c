"""The command line: every command of `./reditus` but `test`, which belongs to the bootstrap."""
