void prepare();
void prepare() {} // the built program is a process of its own
