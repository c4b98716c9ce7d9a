// Package usecase has one function with one options type for each thing the program does: [Preview],
// [Apply], [Undo], [Layout], [Edit], [Filter], [Stamp], and those of a sealed review. It reads no flags and
// prints nothing; functions among the options show results and ask questions.
package usecase
