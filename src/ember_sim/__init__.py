"""The simulated kitchen: stand-ins for devices that speak the public API and nothing else."""
