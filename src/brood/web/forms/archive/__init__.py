"""The record and sharing."""
