"""What lies on the copper layers as a whole: what is joined, pours as filled, figures."""
