"""The demo household, Tern Cottage."""
