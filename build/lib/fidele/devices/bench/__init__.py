"""The bench behind the protocol: nothing else knows that its devices are simulated."""
