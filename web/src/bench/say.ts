/** What somebody says at a step: a note, that it is not right, or that its sheet is not. */
export type About = 'note' | 'wrong' | 'doubt'
