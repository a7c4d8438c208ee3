"""The headless commands, one file each: ``arguments`` says what it takes, ``run`` does it and returns the exit code.

Only the file of the command that was asked for is imported, so that ``--version`` and ``--help`` answer at once.
"""

COMMANDS = {
    "pull": "compute a pull curve into a CSV file",
    "check": "the watch list of a tune; exit 1 when something blocks sending",
    "verdict": "what a ride proves: estimates with 95 %% intervals, and findings",
    "ride": "foresee a ride over a road, with its bands",
    "seek": "wishes in, settings out; exit 1 where none meet them all",
    "backup": "read every register of a controller into a file",
    "send": "send a tune with guards and proof",
    "restore": "put a backup back with guards and proof",
    "faults": "the active fault, explained; exit 1 while there is one",
    "check-map": "check a controller's description, try its frames; errors name line and key",
    "eds": "begin a CANopen description from a data sheet (EDS), or write one",
    "open": "open the window with a file in it",
    "practise": "a job on a simulated bike with a hidden cause; without one, the jobs",
    "doctor": "look whether all is there that it needs here, and say what to do",
    "install-desktop": "an entry in the desktop's menu; --undo takes it away",
    "fleet": "what all rides of all bikes say together",
    "customers": "whose bikes these are; export all that is known of one, or erase it",
    "take": "a bike with its story into one file, to another garage and home again",
    "bring": "a bike with its story into a garage; exit 1 while both changed the same",
    "copy": "a dated copy of the whole garage, and back",
    "workshop": "look whether a garage that several benches share can be used from here",
    "rescue": "recover what is readable of a damaged garage into a new one",
    "standin": "run the simulated bike and controller",
    "shots": "write a picture of each main view from the demo data",
}
