"""The audit: data against codebook and plan, before any table is read."""
