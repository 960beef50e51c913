"""Test charts: the 24-patch chart and the torture chart."""
