"""The drill: a bench with a hidden fault, a meter, and few readings before it is switched on."""
