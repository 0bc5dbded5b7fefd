"""Numerical kernels that know no design: networks of elements, their voltages and currents."""
