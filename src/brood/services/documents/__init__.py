"""JSON documents of the command line: a case, a schedule, evidence, stage times."""
