"""Ends of a bench that keep what comes."""


class Hears:
    """Ends that keep what comes."""

    def __init__(self):
        self.blocks, self.events, self.texts, self.ups, self.downs = [], [], [], 0, []

    def link_up(self):
        self.ups += 1

    def link_down(self, why):
        self.downs.append(why)

    def came(self, items):
        for item in items:
            (self.blocks if hasattr(item, "mapping") else self.events).append(item)

    def said(self, text):
        self.texts.append(text)

    def trouble(self, text):
        self.texts.append(text)

    def turn(self, waited):
        pass
