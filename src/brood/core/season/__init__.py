"""When pests of earlier years are to be expected again."""
