// A stand-in as a process of its own; beside the demo, so that it is found wherever the demo is.
import '@verbalis/simulators/main';
