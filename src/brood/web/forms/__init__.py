"""What people type, read into commands; every fault at once, each beside its field."""
