/* What the files of loops share: a loop, and the steps of its program. */

#ifndef UNTOR_LOOPS_H
#define UNTOR_LOOPS_H

#include "writing.h"

#define MOST_SLOTS 250

typedef struct {
    PyObject_VAR_HEAD
    State *state;
    PyObject *module;      /* which the state is that of */
    PyObject *names;       /* that are read after dots: a tuple of str */
    PyObject *joins;       /* what is written: a tuple of Join */
    PyObject *kept;        /* a tuple */
    int given, slots;
    int passes;            /* how many calls it leaves to Python at once, since it had to leave something lately */
    int chunks;            /* whether it stops when there is enough for a chunk of the page */
    int awaits;            /* whether what can be awaited is left to Python */
    PyTypeObject **seen;   /* for each step that reads, the type that it last saw to have attributes and no items */
    int code[];
} Loop;

/* The steps; what each is followed by is in bytecode_check.c. */
enum { READ, WRITE, TEST, JUMP, ITEMS, FOR, SPLIT, CALL, COMPARE, BINARY, UNARY, COPY, ABSENT, NEED, PACK, STEPS };
/* What steps are told: how to compare, to calculate, and to change a sign or a truth. */
enum { IN = Py_GE + 1, NOT_IN, IS, IS_NOT };
enum { ADD, SUBTRACT, MULTIPLY, DIVIDE, FLOOR, AND };
enum { NOT, MINUS };

/* Call a loop; see interpreter.c. */
PyObject *loop_call(Loop *self, PyObject *const *arguments, Py_ssize_t count);

#endif
