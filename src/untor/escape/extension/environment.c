/* Environments: where the values of a function of a page are, while it is rendered; and how functions, and contents for
   slots, are called and left. */

#include "program.h"

Environment *new_environment(const Function *function)
{
    size_t slots = (size_t)function->slots * sizeof(PyObject *), loops = (size_t)function->loops * sizeof(Cursor);
    size_t contents = (size_t)function->contents * sizeof(Content);
    Environment *environment = PyMem_Malloc(sizeof(Environment) + slots + loops + contents);
    if (environment == NULL) {
        PyErr_NoMemory();
        return NULL;
    }
    char *room = (char *)(environment + 1);
    environment->function = function;
    environment->slots = (PyObject **)room;
    environment->loops = (Cursor *)(room + slots);
    environment->contents = (Content *)(room + slots + loops);
    for (int i = 0; i < function->slots; i++)
        environment->slots[i] = Py_NewRef(Py_None);
    memset(environment->loops, 0, loops + contents);
    return environment;
}

void free_environment(Environment *environment)
{
    for (int i = 0; i < environment->function->slots; i++)
        Py_DECREF(environment->slots[i]);
    for (int i = 0; i < environment->function->loops; i++)
        Py_XDECREF(environment->loops[i].items);
    PyMem_Free(environment);
}

/* Remember where to go on: 0, or -1 with an exception when there is no more room. */
static int remember(Run *run, Activation activation)
{
    if (run->depth >= Py_GetRecursionLimit()) {
        PyErr_SetString(PyExc_RecursionError, "pieces of a page are nested too deep");
        return -1;
    }
    if (run->depth == run->room) {
        int is_first = run->stack == run->first;
        Activation *stack = PyMem_Realloc(is_first ? NULL : run->stack, 2 * (size_t)run->room * sizeof(Activation));
        if (stack == NULL) {
            PyErr_NoMemory();
            return -1;
        }
        if (is_first)
            memcpy(stack, run->first, sizeof(run->first));
        run->stack = stack;
        run->room *= 2;
    }
    run->stack[run->depth++] = activation;
    return 0;
}

/* Call a function of the page: 0, or -1 with an exception. */
int run_enter(Run *run, const int *step, int at)
{
    const Program *program = run->program;
    Environment *outer = run->environment, *inner = new_environment(program->functions + step[1]);
    if (inner == NULL)
        return -1;
    PyObject **slots = outer->slots, *constants = program->constants;
    int place = 0;
    if (step[1] == 0)
        for (; place < program->inputs_count; place++)
            Py_SETREF(inner->slots[place], Py_NewRef(run->root->slots[place]));
    for (int i = 0; i < step[2]; i++)
        Py_SETREF(inner->slots[place + i], Py_NewRef(VALUE(step[3 + i])));
    const int *contents = step + 3 + step[2];
    for (int i = 0; i < contents[0]; i++)
        inner->contents[i] = outer->contents[contents[1 + i]];
    Activation back = {outer, at, at + 4 + step[2] + contents[0], 0, 0, 1};
    if (remember(run, back) < 0) {
        free_environment(inner);
        return -1;
    }
    run->environment = inner;
    return 0;
}

/* Print the content of a slot: where it begins, or -1 with an exception. */
int run_enter_content(Run *run, const int *step, int at)
{
    Environment *outer = run->environment;
    Content content = outer->contents[step[1]];
    if (content.environment == NULL || step[2] > content.count) {
        PyErr_SetString(PyExc_SystemError, "there is no such content");
        return -1;
    }
    Activation back = {outer, at, at + 3 + step[2], content.first, step[2], 0};
    if (remember(run, back) < 0)
        return -1;
    for (int i = 0; i < step[2]; i++)
        content.environment->contents[content.first + i] = outer->contents[step[3 + i]];
    run->environment = content.environment;
    return content.entry;
}

/* Go on where a function or content was called: the next step; -1 when it was the page itself. */
int run_leave(Run *run)
{
    if (run->depth == 0)
        return -1;
    Activation back = run->stack[--run->depth];
    Environment *left = run->environment;
    /* What is let go may run code, which must not find what is half gone. */
    run->environment = back.environment;
    if (back.owned)
        free_environment(left);
    else
        for (int i = 0; i < back.count; i++)
            left->contents[back.first + i].environment = NULL;
    return back.at;
}
