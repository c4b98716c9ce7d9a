package document

import "bytes"

// header splits a sheet's header or footer into segments. Its codes (ISO/IEC 29500-1, 18.3.1.46) for formatting
// are not shown; codes that print a value, such as the page number, are locked; the left, middle and right
// parts are separate lines.
func (b *builder) header(from, to int) error {
	begin := from
	flush := func(at int) error {
		at, begin = begin, at
		if at < begin {
			return b.pieces(at, begin)
		}
		return nil
	}
	src := b.s.src
	for at := from; at < to; {
		n, mark := ampersand(src[at:to])
		if !mark {
			at++
			continue
		}
		if err := flush(at); err != nil {
			return err
		}
		n += b.code(at, at+n, to)
		at += n
		begin = at
	}
	return flush(to)
}

// ampersand reports whether src begins with an & as XML writes it, and its length in bytes.
func ampersand(src []byte) (n int, is bool) {
	if src[0] != '&' {
		return 1, false
	}
	r, n := entity(src)
	return n, r == '&'
}

// code reads the code after an & and returns its length in bytes.
func (b *builder) code(begin, at, to int) (n int) {
	rest := b.s.src[at:to]
	if len(rest) == 0 {
		return 0
	}
	if more, is := ampersand(rest); is { // && is a literal &
		b.put("&", escape, begin, at+more)
		return more
	}
	lock := b.lock
	defer func() { b.lock = lock }()
	switch c := rest[0]; {
	case bytes.IndexByte([]byte("LCR"), c) >= 0:
		if l := b.current(); l != nil && len(l.text) > 0 {
			b.lock = b.locked("it parts the left, the middle and the right")
			b.put("\u2028", fixed, 0, 0)
		}
		return 1
	case c >= '0' && c <= '9':
		for n < len(rest) && rest[n] >= '0' && rest[n] <= '9' {
			n++
		}
		return n
	case c == 'K':
		return min(7, len(rest))
	case c == '"' || bytes.HasPrefix(rest, []byte("&quot;")):
		quote := rest[:map[bool]int{true: 1, false: 6}[c == '"']]
		if end := bytes.Index(rest[len(quote):], quote); end >= 0 {
			return end + 2*len(quote)
		}
		return len(rest)
	case bytes.IndexByte([]byte("PNDTFAZ"), c) >= 0:
		b.lock = b.locked("it is the result of a field")
		b.put("&"+string(c), escape, begin, at+1)
	}
	return 1
}
