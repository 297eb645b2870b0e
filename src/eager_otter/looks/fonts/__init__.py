"""DejaVu Sans, for PDFs; see LICENSE."""
