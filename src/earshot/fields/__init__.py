"""Fields of given currents: patterns, cuts, figures of merit, power."""
