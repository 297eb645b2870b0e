"""Report → one module per output; a theme they share. Renderers lay finished tables out and compute nothing."""
