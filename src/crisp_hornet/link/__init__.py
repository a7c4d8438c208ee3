"""Talking to a controller: the line, who answers, what it holds, and sending with proof.

``line`` moves questions and answers, ``contact`` identifies and reads, ``difference`` compares a tune with what the
controller holds, ``send`` writes and proves. Nothing here knows the interface; everything may block, so it runs on a
thread of its own, and everything long can be cancelled.
"""
