"""Port algebra on plain arrays and labels: it knows nothing of how the ports were solved."""
