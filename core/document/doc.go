// Package document reads office documents as text, and carries edits of that text back to
// them. They are packages of XML, mostly zip files, as defined by ISO/IEC 26300 (OpenDocument)
// and ISO/IEC 29500 (Office Open XML).
//
// The central type is [Document]: a text of lines, one for each paragraph or cell, in reading order.
// Each line consists of segments, which know the bytes of a part that they were read from. An edit
// of the text becomes edits of those bytes; the part is compressed again, and the other bytes of the
// package stay unchanged. The result is read again and compared with the intended text.
//
// What a reader does not see, such as a formula, is Hidden: it is not part of the text, so no rule
// changes it, but a search can report that it is there.
package document
