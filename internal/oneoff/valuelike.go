package oneoff

import (
	"net/netip"
	"regexp"
	"strings"
	"sync"
)

var (
	hostLike = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^[A-Za-z0-9-]+(\.[A-Za-z0-9-]+)+$`) })
	portLike = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^[0-9]{2,5}$`) })
)

// valueLike names the parameter that a text looks like the value of, "" for none.
func valueLike(s string) (name, about string) {
	_, err := netip.ParseAddr(s)
	switch {
	case err == nil:
		return "address", "the new address"
	case portLike().MatchString(s):
		return "number", "the new number"
	case hostLike().MatchString(s):
		return "host", "the new host name"
	case strings.HasPrefix(s, "/") && !strings.ContainsAny(s, " \n{"):
		return "path", "the new path"
	}
	return "", ""
}
