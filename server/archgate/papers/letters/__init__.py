"""Letters: one template an occasion, filled with typed values, as plain text and as HTML."""
