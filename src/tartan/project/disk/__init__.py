"""Files written whole or not at all."""
