"""How parts follow bones: outline, mesh, weights, skinning."""
