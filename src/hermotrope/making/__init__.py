"""What is made of stuff: parts measured from pictures, and the docks, boxes, plates, dummies made after them."""
