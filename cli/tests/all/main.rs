//! All tests of the command line, in one executable.

mod command_line;
mod forms;
