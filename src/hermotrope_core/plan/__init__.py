"""The document: a device, what feeds it and what lies between, how well each number is known, how documents are read and told apart."""
