/* What the files of programs share: a program, and the rendering of a page by one.

   A program is a list of steps, each a number and what it is followed by (program.c has the shapes). Values are told of by
   operands: the number of a slot, or the complement of the number of a constant. The slots of a function are in an
   environment, which is made when it is called; content for a slot of another function runs in that of the function that
   defines it. untor.codegen writes programs; nothing in them is believed before program.c has checked it. */

#ifndef UNTOR_PROGRAM_H
#define UNTOR_PROGRAM_H

#include "writing.h"

/* The steps, numbered as untor.codegen.steps has them. */
enum {
    WRITE, READ, READ_DATA, READ_ITEM, NEED, INPUT, COPY, JUMP, TEST, ABSENT, GIVEN, ITEMS, NEXT, COUNT, EMPTY, SPLIT,
    POSITION, CALL, COMPARE, BINARY, UNARY, PACK, ADD, PRINT, ENTER, LEAVE, CONTENT, SLOT, COLLECT, PIECE, NONCE, SEND, CALLEE,
    CHECK, SIMPLE, STEPS
};
/* What steps are told by a number. */
enum { IN = Py_GE + 1, NOT_IN, IS, IS_NOT };
enum { ADDED, SUBTRACTED, MULTIPLIED, DIVIDED, FLOORED };
enum { NOT, MINUS, PLUS };
enum { OF_INDEX, OF_NUMBER, OF_FIRST, OF_ODD, OF_EVEN, OF_TOTAL };
enum { AS_TUPLE, AS_LIST, AS_DICT };
#define MOST_NAMES 100 /* as language/parser.py has it */
enum { OF_SCOPE, TAKEN, OF_PIECE };
enum { ANYTHING, TEXT_ONLY, WHOLE, NUMBER, TRUTH_ONLY, SEQUENCE, MAPPING };

#define MOST_SLOTS 1000000

/* The value of an operand, where there are slots and constants. */
#define VALUE(number) ((number) >= 0 ? slots[number] : PyTuple_GET_ITEM(constants, ~(number)))

typedef struct {
    int entry, end, slots, loops, contents, parameters;
} Function;

/* How the dots of a type are read: as attributes, as items, as attributes or else items, as items or else attributes; by
   Python where that is not known. */
enum { BY_PYTHON, BY_ATTRIBUTE, BY_ITEM, BY_BOTH, BY_ROW };
typedef struct {
    PyTypeObject *type;
    int how;
} Seen;

typedef struct {
    PyObject_HEAD
    State *state;
    PyObject *module;         /* which the state is that of */
    int length, functions_count, joins_count, inputs_count, reads;
    const int *code;          /* in octets, which pages in other languages may share */
    PyObject *octets;
    Seen *seen;               /* for each read, the type that it saw last, and how it is read */
    Function *functions;
    Join *joins;
    PyObject *names;          /* that are read after dots: a tuple of str */
    PyObject *constants;      /* a tuple */
    PyObject *inputs;         /* the names of the values of a page: a tuple of str */
    PyObject *places;         /* their numbers, by name */
    PyObject *fallbacks;      /* what they are when the page is not given them: a tuple */
    PyObject *nonce;          /* the key of the page's nonce in its context */
    PyObject *helpers;        /* the functions in Python that a program calls: a tuple, by the numbers below */
} Program;

/* merge(context, values): the names that a page sees; missing(how, name, names): raise; failed(error, where): the error to
   raise instead; callee(value, words): the value, when it may be called. Last, the engine's own functions, as a tuple. */
enum { MERGE, MISSING_NAME, FAILED, CALLABLE, OWN, HELPERS };

/* A loop that is going on: what it runs over, and how many items it has taken, and has used. */
enum { NO_ITEMS, OF_LIST, OF_TUPLE, OF_ITERATOR, OF_ASYNC };
typedef struct {
    PyObject *items;
    Py_ssize_t at, count, total;
    int kind;
} Cursor;

/* Content for a slot: where it runs, where it begins, and the first of the contents that it is itself given. */
typedef struct Environment Environment;
typedef struct {
    Environment *environment;
    int entry, first, count;
} Content;

struct Environment {
    const Function *function;
    PyObject **slots;
    Cursor *loops;
    Content *contents;
};

/* Where to go on when a function or content is over: the step that called it, and the one after; with content, those that
   it was given, which end with it. */
typedef struct {
    Environment *environment;
    int step, at, first, count;
    int owned;                 /* whether the environment that is left is over too */
} Activation;

#define FIRST_ACTIVATIONS 16

/* A page that is being rendered. */
typedef struct {
    Program *program;
    Page page;
    Environment *environment, *root;
    int at, which;              /* the step that it has come to, and the number in the code of the value that failed */
    int chunks, awaits;
    unsigned turns;
    Activation *stack, first[FIRST_ACTIVATIONS];
    int depth, room;
    PyObject *collected;        /* the pieces of a URL */
    PyObject *nonce;
    PyObject *context, *values; /* what was given: borrowed while a page is rendered at once */
    PyObject *const *given;     /* values by name, where there is no dict of them */
    PyObject *given_names;
    PyObject *scope;
    PyObject *computed;         /* the values of deferred ones, by these: a dict */
    PyObject **waiting[MOST_VALUES];  /* where what is awaited is put */
    int waits, again, awaited;  /* how many of them wait; whether the step is then done again; whether it now is */
} Run;

/* How far a run has come. */
enum { BROKEN = -1, DONE, CHUNK, WAITING, TURN };
int run_on(Run *run);
/* What is awaited; the values of it. */
PyObject *run_awaited(Run *run);
int run_take(Run *run, PyObject *values);
/* End the loop whose next item was awaited: 1, or 0 when there is none. */
int run_end_items(Run *run);

/* Whether a program goes on in this thread. */
int is_in_program(void);

/* Let Python log what the function that a step called has reported, with its place: 0, or -1 with an exception. */
int run_report(Run *run, int at);

/* Call a function or content of the page, and leave it: see environment.c. */
int run_enter(Run *run, const int *step, int at);
int run_enter_content(Run *run, const int *step, int at);
int run_leave(Run *run);

Environment *new_environment(const Function *function);
void free_environment(Environment *environment);

PyObject *new_program(PyObject *module, State *state, PyObject *arguments);
int add_programs(PyObject *module, State *state);

extern PyMethodDef PROGRAM_METHODS[];
extern PyType_Spec RUN_SPEC;

#endif
