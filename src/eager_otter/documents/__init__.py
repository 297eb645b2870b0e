"""The two YAML files as text: read with a position for every key and value, checked against a model."""
