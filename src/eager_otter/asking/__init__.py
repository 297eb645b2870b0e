"""What is asked of a survey and of its tables: tables, workings of cells, the people behind them, findings."""
