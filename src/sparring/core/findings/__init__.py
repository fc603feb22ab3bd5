"""Judgements on a test. A rule is one small function in a module of this folder, registered by `@rule`."""

from sparring.core.findings.registry import Fact, Finding, Peer, explain, judge

__all__ = ["Fact", "Finding", "Peer", "explain", "judge"]
