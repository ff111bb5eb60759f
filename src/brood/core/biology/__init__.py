"""A pest and a case of it: stages, how fast they develop, what must be there unseen."""
