"""What a person sees: tables, plots and commands."""
