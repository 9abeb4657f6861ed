package place

import (
	"net/url"
	"strings"
)

// parseURL reads a URL that may name several hosts, "a:1,b:2", as servers
// with standbys have them; net/url knows one port only.
func parseURL(text string) (*url.URL, error) {
	head, rest, ok := strings.Cut(text, "://")
	end := strings.IndexAny(rest, "/?#")
	if end < 0 {
		end = len(rest)
	}
	hosts := rest[strings.LastIndex(rest[:end], "@")+1 : end]
	if !ok || !strings.Contains(hosts, ",") {
		return url.Parse(text)
	}
	u, err := url.Parse(head + "://" + rest[:end-len(hosts)] + "several" + rest[end:])
	if err == nil {
		u.Host = hosts
	}
	return u, err
}

// Secrets are the runs of a text, as byte offsets, that are passwords of a URL
// in it.
func Secrets(text string) [][2]int {
	var out [][2]int
	at := strings.Index(text, "://")
	if at < 0 {
		return nil
	}
	at += len("://")
	end := len(text)
	if i := strings.IndexAny(text[at:], "/?#"); i >= 0 {
		end = at + i
	}
	// A password with an @ or / in it that was not escaped is one all the same.
	if i := strings.LastIndex(text[at:], "@"); i >= 0 && at+i > end && strings.Contains(text[at:end], ":") && !strings.Contains(text[at:end], "@") {
		end = at + i
	}
	if i := strings.LastIndex(text[at:min(end+1, len(text))], "@"); i >= 0 {
		if c := strings.Index(text[at:at+i], ":"); c >= 0 {
			out = append(out, [2]int{at + c + 1, at + i})
		}
	}
	for _, key := range []string{"password=", "sslpassword="} {
		for from := end; ; {
			i := strings.Index(text[from:], key)
			if i < 0 {
				break
			}
			from += i + len(key)
			stop := len(text)
			if j := strings.IndexAny(text[from:], "&#"); j >= 0 {
				stop = from + j
			}
			out = append(out, [2]int{from, stop})
		}
	}
	return out
}

// redact takes the password out of a URL.
func redact(text string) string {
	u, err := parseURL(text)
	if err != nil {
		return "(a URL that cannot be read)"
	}
	if u.User != nil {
		u.User = url.User(u.User.Username())
	}
	q := u.Query()
	for _, k := range []string{"password", "sslpassword"} {
		q.Del(k)
	}
	u.RawQuery = strings.ReplaceAll(q.Encode(), "%2F", "/")
	return u.String()
}
