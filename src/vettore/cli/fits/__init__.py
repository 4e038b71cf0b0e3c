"""vettore fit."""
