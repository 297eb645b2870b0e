"""The command line: parse, call the library, print. Nothing is computed here."""
