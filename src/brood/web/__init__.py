"""The pages: routes parse, call a service and render."""
