"""Life tests that go on for days: a process of their own, what it keeps, and how others find it."""
