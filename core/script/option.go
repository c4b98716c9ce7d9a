package script

import "slices"

// An option is words that may follow a form, with their effect on the node. It is defined once for the parser,
// which refuses repeated and contradicting options, and for the printer.
type option struct {
	words []string // that it begins with
	what  string   // the subject of the message "… is said twice"
	// group identifies options that exclude each other. It is equal to what for an option without others.
	group string

	many bool // it may be said several times

	flag *bool
	// parse reads what follows the words; nil for an option that is only a flag.
	parse func(p *parser)
	// chunks returns the option as it is printed, nil if it is not set; for a flag it is the words.
	chunks []chunk
}

// flagged is an option that only sets a flag.
func flagged(flag *bool, what string, words ...string) option {
	return option{words: words, what: what, flag: flag, chunks: when(*flag, join(words))}
}

// texted is an option with a text, without placeholders if plain is set.
func texted(text **Text, plain bool, what, operand string, words ...string) option {
	o := option{words: words, what: what, parse: func(p *parser) {
		if plain {
			*text = p.plain(operand)
		} else {
			*text = p.text(operand)
		}
	}}
	if *text != nil {
		o.chunks = textChunks(join(words), *text)
	}
	return o
}

// when returns words as a chunk, if ok.
func when(ok bool, words string) []chunk {
	if !ok {
		return nil
	}
	return []chunk{{words: words}}
}

// options reads the options of a form, in any order, as often as read is called.
type options struct {
	p     *parser
	build func() []option // called only if an option may follow, which is rare
	all   []option
	said  []said
}

// said is an option that was read.
type said struct{ group, what string }

func (p *parser) options(build func() []option) options { return options{p: p, build: build} }

func (o *options) read() {
	for o.one() {
	}
}

// one reads one option, if one follows.
func (o *options) one() bool {
	if t := o.p.peek(); !o.p.completing && (t.kind != kindWord || !slices.Contains(opening, t.text) && !slices.Contains(ambiguous, t.text)) {
		return false
	}
	if o.all == nil {
		o.all = o.build()
	}
	for _, opt := range o.all {
		if !o.p.begins(opt.words) {
			continue
		}
		pos := o.p.peek().pos
		o.p.acceptRest(opt.words)
		group := opt.group
		if group == "" {
			group = opt.what
		}
		i := slices.IndexFunc(o.said, func(s said) bool { return s.group == group })
		twice := i >= 0
		switch {
		case opt.many:
		case twice && o.said[i].what != opt.what:
			o.p.fail(pos, o.said[i].what+" and "+opt.what+" contradict each other", "keep one of them")
		case twice || opt.flag != nil && *opt.flag:
			o.p.fail(pos, opt.what+" is said twice", "say it once")
		}
		o.said = append(o.said, said{group, opt.what})
		if opt.flag != nil {
			*opt.flag = true
		}
		if opt.parse != nil {
			opt.parse(o.p)
		}
		return true
	}
	return false
}

// optionChunks returns the options that are set, as they are printed.
func optionChunks(all []option) (out []chunk) {
	for _, o := range all {
		out = append(out, o.chunks...)
	}
	return out
}

// begins reports whether an option's first word comes next, and, if another word tells it from what else may
// begin with that word, that one too.
func (p *parser) begins(words []string) bool {
	if p.completing {
		p.expect(join(words))
	}
	t := p.peek()
	if t.kind != kindWord || t.text != words[0] {
		return false
	}
	if !slices.Contains(ambiguous, words[0]) || len(words) == 1 {
		return true
	}
	next := p.tokens[min(p.at+1, len(p.tokens)-1)]
	return next.kind == kindWord && next.text == words[1]
}

// ambiguous are words that begin options and other forms, or several options.
var ambiguous = []string{"in", "not", "from", "by", "descending", "added"}

// acceptRest consumes the words, the first of which comes next.
func (p *parser) acceptRest(words []string) {
	p.at++
	for i, w := range words[1:] {
		p.want(w, words[i])
	}
}
