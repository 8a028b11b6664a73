"""How quantities and things of the document are said."""
