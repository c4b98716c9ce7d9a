package document

// spaces are the namespaces that anything is asked of, in their transitional and their strict
// form, and what stands for them in this program.
var spaces = map[string]string{
	"http://schemas.openxmlformats.org/wordprocessingml/2006/main":            "w",
	"http://purl.oclc.org/ooxml/wordprocessingml/main":                        "w",
	"http://schemas.openxmlformats.org/spreadsheetml/2006/main":               "s",
	"http://purl.oclc.org/ooxml/spreadsheetml/main":                           "s",
	"http://schemas.openxmlformats.org/presentationml/2006/main":              "p",
	"http://purl.oclc.org/ooxml/presentationml/main":                          "p",
	"http://schemas.openxmlformats.org/drawingml/2006/main":                   "a",
	"http://purl.oclc.org/ooxml/drawingml/main":                               "a",
	"http://schemas.openxmlformats.org/drawingml/2006/wordprocessingDrawing":  "wp",
	"http://purl.oclc.org/ooxml/drawingml/wordprocessingDrawing":              "wp",
	"http://schemas.openxmlformats.org/drawingml/2006/spreadsheetDrawing":     "xdr",
	"http://purl.oclc.org/ooxml/drawingml/spreadsheetDrawing":                 "xdr",
	"http://schemas.openxmlformats.org/drawingml/2006/picture":                "pic",
	"http://purl.oclc.org/ooxml/drawingml/picture":                            "pic",
	"http://schemas.openxmlformats.org/officeDocument/2006/math":              "m",
	"http://purl.oclc.org/ooxml/officeDocument/math":                          "m",
	"http://schemas.openxmlformats.org/officeDocument/2006/relationships":     "r",
	"http://purl.oclc.org/ooxml/officeDocument/relationships":                 "r",
	"http://schemas.openxmlformats.org/package/2006/relationships":            "rel",
	"http://schemas.openxmlformats.org/package/2006/metadata/core-properties": "cp",
	"http://schemas.openxmlformats.org/markup-compatibility/2006":             "mc",
	"http://schemas.microsoft.com/office/spreadsheetml/2018/threadedcomments": "tc",
	"urn:schemas-microsoft-com:vml":                                           "v",
	"http://purl.org/dc/elements/1.1/":                                        "dc",
	"urn:oasis:names:tc:opendocument:xmlns:office:1.0":                        "office",
	"urn:oasis:names:tc:opendocument:xmlns:text:1.0":                          "text",
	"urn:oasis:names:tc:opendocument:xmlns:table:1.0":                         "table",
	"urn:oasis:names:tc:opendocument:xmlns:drawing:1.0":                       "draw",
	"urn:oasis:names:tc:opendocument:xmlns:style:1.0":                         "style",
	"urn:oasis:names:tc:opendocument:xmlns:meta:1.0":                          "meta",
	"urn:oasis:names:tc:opendocument:xmlns:presentation:1.0":                  "presentation",
	"urn:oasis:names:tc:opendocument:xmlns:svg-compatible:1.0":                "svg",
	"urn:oasis:names:tc:opendocument:xmlns:form:1.0":                          "form",
	"urn:oasis:names:tc:opendocument:xmlns:manifest:1.0":                      "manifest",
	"urn:org:documentfoundation:names:experimental:calc:xmlns:calcext:1.0":    "calcext",
	xmlSpace:                       "xml",
	"http://www.w3.org/1999/xlink": "xlink",
}

// xmlSpace is what the prefix xml stands for everywhere.
const xmlSpace = "http://www.w3.org/XML/1998/namespace"
