"""What an antenna stands in."""
