"""The report: chapters of text, tables and figures, as one HTML file and as PDF."""
