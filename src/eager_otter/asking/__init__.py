"""Requests to a survey and to its tables: tables, workings of cells, the people behind them, findings."""
