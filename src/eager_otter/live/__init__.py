"""The live page: a plan's tables in the browser, made again as its files are saved."""
