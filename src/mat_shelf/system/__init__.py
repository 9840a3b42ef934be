"""The machine under the program: files written whole, folders of the user, processes with bounds, the log of faults.

Whatever reads a file from elsewhere runs in a process of its own (`bounded.run`): a decoder may crash, take all memory
or never end; the program must not.
"""
