"""The lab on another kernel: Debian's own, emulated, with what this machine's kernel may lack."""
