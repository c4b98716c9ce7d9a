// Package document reads office documents as text, and carries edits of that text back to
// them. They are packages of XML, zip files for the most part, as ISO/IEC 26300 (OpenDocument)
// and ISO/IEC 29500 (Office Open XML) have them.
//
// The central type is [Document]: a text of lines, one a paragraph or a cell, in reading order.
// Each line is made of segments, which know the bytes of a part that they were read from; an edit
// of the text becomes edits of those bytes, the part is packed anew, and the package's other bytes
// stay as they are. What comes of it is read once more and held against what was asked for.
//
// What a reader does not see, formulas and the like, is Hidden: it never is in the text, so that
// nothing changes it, but whoever looks for something can say that it is there.
package document
