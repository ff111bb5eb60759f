"""The field guide, and a keeper's own figures."""
