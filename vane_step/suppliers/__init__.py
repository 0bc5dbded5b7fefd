"""Asking suppliers for prices and stock; what is made of their answers is in `core.order`."""
