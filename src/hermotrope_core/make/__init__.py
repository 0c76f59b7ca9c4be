"""What is made of stuff, not of copper: dummies, boxes, docks, plates and templates, from measures to solids."""
