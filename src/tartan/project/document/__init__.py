"""The document: frozen records, its history, samples, and the gate for its texts."""
