"""The responses: reading files, encoding answers as small integers, expressions over respondents."""
