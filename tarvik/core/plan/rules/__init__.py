"""The rules of a plan, one module each: what every plan keeps, and what its aims count."""
