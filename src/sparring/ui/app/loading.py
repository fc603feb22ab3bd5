"""What the window loads off its own thread, so that nobody waits for it."""


def parts() -> None:
    """What the parts are made of."""
    import sparring.ui.app.commands
    import sparring.ui.app.sides
    import sparring.ui.app.tour
    import sparring.ui.frame.driveline
    import sparring.ui.frame.findings
    import sparring.ui.frame.logbook
    import sparring.ui.frame.title_block
    import sparring.ui.model.live
    import sparring.ui.pages.build.page  # noqa: F401  (the first one)


def libraries() -> None:
    """What the charts and the first lift need, so that neither keeps the window waiting."""
    import pyarrow.parquet
    import pyqtgraph
    import serial

    del pyarrow, pyqtgraph, serial


def units() -> None:
    """What a unit needs that is typed and not among those shown every day."""
    from sparring.core import quantity

    quantity.know_units()
