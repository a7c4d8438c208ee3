"""Processes for tests, forked of one that has loaded what they need: starting each anew would cost most of their time."""

import multiprocessing

FORKS = multiprocessing.get_context("forkserver")
FORKS.set_forkserver_preload(["tests.loaded"])
