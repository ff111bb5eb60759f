"""Use cases: each takes a session or a command, does one thing in one transaction and
returns plain results.
"""
