"""A local fit: what takes GNSS grid coordinates to the coordinates that the control is given in, and how far to trust it.

Horizontal:  E_local = a·E − b·N + shift_e,  N_local = b·E + a·N + shift_n
with a = scale·cos(rotation) and b = scale·sin(rotation): similarity (scale free), rotation (scale held), shift (both held).
Vertical:    h_local = h + constant + slope_east·(E − Ec) + slope_north·(N − Nc), about the centroid of the marks used vertically.

Everything is reduced to centroids first, so that millimetres are kept at six million metres.  Horizontal models have a closed form;
leaving one mark out is a downdate of the same sums, never a refit.  Residuals are fitted − given.  Weights are 1/sigma² of each
mark, of both components alike; where no sigma is given all weigh the same and their sigma is estimated.

Source: S. Umeyama, IEEE PAMI 13 (4), 1991, for the closed form; W. Baarda, A testing procedure for use in geodetic networks, 1968, for
reliability; both from memory.
"""
