"""Measuring from a picture: from pixels to millimetres of one flat plane, and how sure that is. Pure arithmetic."""
