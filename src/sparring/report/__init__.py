"""The sheet that someone else can check."""
