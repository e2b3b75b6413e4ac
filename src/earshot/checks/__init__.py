"""What would stop a solve, and what would make its answer doubtful."""
