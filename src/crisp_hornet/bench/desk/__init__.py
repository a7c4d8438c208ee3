"""The work in hand, put together from objects with signals of their own: the open bike, what its controller holds, the draft, the ride,
the watch list, and the story that is written down."""
