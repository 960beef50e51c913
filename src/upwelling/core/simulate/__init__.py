"""Simulated stand-ins: the scene renderer, the chart, the cameras."""
