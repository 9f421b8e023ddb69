"""One module per kind of output; its `HANDLER` says what the house does with it (`control.outputs.handler`)."""
