"""What things cost, measured. Ratios hold from run to run; milliseconds of one machine do not."""
