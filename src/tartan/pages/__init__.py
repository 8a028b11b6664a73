"""What pages show and do, thought out without Qt; the window draws it."""
