"""The plan file: read, checked, defaults filled in, made into table requests."""
