"""Pests, treatments and their sources as data: figures live in TOML, each with a source
and a grade.
"""
