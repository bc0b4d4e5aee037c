"""Cases: recorded inputs with what is expected of the answer."""
