"""From texts to numbers: single cells, columns, what people type."""
