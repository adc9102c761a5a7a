/** What is refused of the project's files, and of what is to be written. */
export const FILE_PROBLEMS = {
  'assistant-broken': {
    status: 409,
    title: 'The file of this assistant cannot be used',
    remedy: 'Fix the file at the line that is named; it is read again when it changes.',
  },
  'disk-full': {
    status: 507,
    title: 'The disk of the service is full',
    remedy: 'Make room where the project and its data folder are, and send it again.',
  },
  'file-changed': {
    status: 412,
    title: 'The file was changed in the meantime',
    remedy:
      'Read it again with GET /v1/files/KIND/NAME, put your changes to it, and send it with its new ETag.',
  },
  'file-runs-code': {
    status: 403,
    title: 'Over HTTP a file cannot come to name code that is run',
    remedy: 'Write it into the file on the machine of the service: it is read again when it changes.',
  },
  'file-sends-secret': {
    status: 403,
    title: 'Over HTTP a file cannot name another secret, or send one to another host',
    remedy: 'Write it into the file on the machine of the service: it is read again when it changes.',
  },
  'engine-broken': {
    status: 409,
    title: 'The card of an engine cannot be used',
    remedy: 'Fix the file at the line that is named; it is read again when it changes.',
  },
  'lexicon-broken': {
    status: 409,
    title: 'A lexicon cannot be used',
    remedy: 'Fix the file at the line that is named; it is read again when it changes.',
  },
  'file-fixed': {
    status: 409,
    title: 'A project has this file under this name',
    remedy: 'Change what it says instead.',
  },
  'file-unknown': {
    status: 404,
    title: 'There is no such file in the project',
    remedy: 'List the files with GET /v1/files.',
  },
  'file-there': {
    status: 409,
    title: 'There is a file of that name already',
    remedy: 'Choose another name, or change the file that is there.',
  },
  'file-used': {
    status: 409,
    title: 'The file is still named by others',
    remedy: 'Take its name out of the files that are listed first.',
  },
  'answers-broken': {
    status: 409,
    title: 'A file of authored answers cannot be used',
    remedy: 'Fix the file at the line that is named; it is read again when it changes.',
  },
  'project-broken': {
    status: 500,
    title: 'A file of the project cannot be used',
    remedy: 'Fix the file at the line that is named and start again.',
  },
};
