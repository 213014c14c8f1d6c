"""Stand-in hosts: counters that obey the arithmetic of a real machine, deterministic by seed."""

from reditus.simulator.fernhold import FERNHOLD, simulated
from reditus.simulator.host import SimulatedHost, simulate

__all__ = ["FERNHOLD", "SimulatedHost", "simulate", "simulated"]
