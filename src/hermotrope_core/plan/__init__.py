"""The document: a device, what feeds it, what lies between; how each number is known; how it is read and told apart."""
