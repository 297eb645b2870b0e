"""The gates that everything passes: what is read, the text that goes out, what is written."""
