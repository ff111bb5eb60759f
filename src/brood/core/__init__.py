"""The computation: pure functions over arrays and frozen dataclasses.

Nothing here knows a clock, a file, a database or a page. Temperatures are in °C,
durations in days, rates in 1/day and moments are naive local date-times, unless a name
says otherwise.
"""
