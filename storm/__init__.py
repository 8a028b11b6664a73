"""A campaign of damaged input, kills and random use; `make storm`."""
