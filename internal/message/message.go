// Package message sends what became of a run to people and programs: by mail, to a
// webhook, or through a command. What could not be sent is kept and tried again.
package message

import (
	"cmp"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/wneessen/go-mail"

	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/place"
)

// Whens are when a message is sent: every time, when something differs, when the run
// failed.
var Whens = []string{"done", "different", "failed"}

// Message is a way in which somebody hears of a run. One of Mail, Webhook and
// Command is set.
type Message struct {
	When    []string // of Whens; none for different and failed
	Mail    *Mail
	Webhook *Webhook
	Command []string
	// RowValues lets what a server said be told whole: it may hold values of rows.
	RowValues bool
}

// Mail is a message by SMTP.
type Mail struct {
	To       []string
	From     string
	Server   string // smtp://HOST[:PORT], where TLS is begun, or smtps://HOST[:PORT]; smtp+off:// for none
	User     string
	Password *place.Secret
	CA       string // a file of certificates, where the server's is signed by one's own
	Attach   bool   // the report
}

// Webhook is a message by HTTP.
type Webhook struct {
	URL     string
	Address *place.Secret // the URL, where it is itself the secret
	Secret  *place.Secret // what the signature is made with
	CA      string
}

// Letter is what is told.
type Letter struct {
	ID      string `json:"id"` // the same when it is sent once more
	Task    string `json:"task"`
	Run     int    `json:"run"`
	Result  string `json:"result"` // one of Whens
	Subject string `json:"subject"`
	Text    string `json:"text"`
	// Payload is the letter for programs, Report the page that is attached to mail.
	Payload []byte `json:"payload"`
	Report  []byte `json:"report,omitempty"`
}

// limit is how long one message may take.
const limit = 30 * time.Second

// mostAnswer is how much of a webhook's or command's answer is looked at.
const mostAnswer = 64 << 10

// For tells whether a message is sent for a result.
func (m *Message) For(result string) bool {
	if len(m.When) == 0 {
		return result != "done"
	}
	return slices.Contains(m.When, result) || slices.Contains(m.When, "done")
}

// Where names where a message goes, without secrets.
func (m *Message) Where() string {
	switch {
	case m.Mail != nil:
		host := m.Mail.Server
		if u, err := url.Parse(host); err == nil {
			host = u.Host
		}
		return "mail to " + strings.Join(m.Mail.To, ", ") + " by " + host
	case m.Webhook != nil && m.Webhook.Address != nil:
		return "webhook"
	case m.Webhook != nil:
		if u, err := url.Parse(m.Webhook.URL); err == nil {
			return "webhook " + u.Host // the path may be what opens it
		}
		return "webhook"
	case len(m.Command) > 0:
		return "command " + m.Command[0]
	}
	return "nowhere"
}

// Send sends a letter. output takes what a command prints.
func (m *Message) Send(ctx context.Context, l Letter, output io.Writer) error {
	ctx, cancel := context.WithTimeout(ctx, limit)
	defer cancel()
	var err error
	switch {
	case m.Mail != nil:
		err = m.Mail.send(ctx, l)
	case m.Webhook != nil:
		err = m.Webhook.send(ctx, l)
	default:
		err = run(ctx, m.Command, l, output)
	}
	if err != nil && errors.Is(ctx.Err(), context.DeadlineExceeded) {
		err = fmt.Errorf("no answer within %s", limit)
	}
	if err != nil {
		return fmt.Errorf("%s: %w", m.Where(), err)
	}
	return nil
}

// Check tells what is wrong with how a mail is described.
func (m *Mail) Check() error {
	switch u, err := url.Parse(m.Server); {
	case len(m.To) == 0 || m.From == "":
		return errors.New("a mail says to: whom and from: whom it is")
	case err != nil || u.Hostname() == "" || !slices.Contains([]string{"smtp", "smtps", "smtp+off"}, u.Scheme):
		return errors.New("server is smtp://HOST:PORT, where TLS is begun or nothing is sent, smtps://HOST:PORT, or smtp+off://HOST:PORT for none")
	case u.User != nil:
		return errors.New("user: and password: say who sends, not the address of the server")
	case u.Scheme == "smtp+off" && m.Password != nil:
		return errors.New("a password is not sent without TLS; use smtp:// or smtps://")
	case (m.User == "") != (m.Password == nil):
		return errors.New("user: and password: belong together")
	case m.Password != nil && m.Password.Ask:
		return errors.New("nobody is there to ask when a mail is sent; let the password come from env, file or command")
	}
	return nil
}

func (m *Mail) send(ctx context.Context, l Letter) error {
	if err := m.Check(); err != nil {
		return err
	}
	u, err := url.Parse(m.Server)
	if err != nil {
		return err
	}
	trust, err := trusted(u.Hostname(), m.CA)
	if err != nil {
		return err
	}
	port, err := strconv.Atoi(cmp.Or(u.Port(), map[string]string{"smtps": "465", "smtp": "587", "smtp+off": "25"}[u.Scheme]))
	if err != nil {
		return err
	}
	opt := []mail.Option{mail.WithPort(port), mail.WithTimeout(limit), mail.WithTLSConfig(trust), mail.WithTLSPolicy(map[string]mail.TLSPolicy{"smtp": mail.TLSMandatory}[u.Scheme])}
	switch u.Scheme {
	case "smtps":
		opt = append(opt, mail.WithSSL())
	case "smtp+off":
		opt = append(opt, mail.WithTLSPolicy(mail.NoTLS))
	}
	if m.Password != nil {
		password, err := m.Password.Get(ctx, "mail", nil)
		if err != nil {
			return err
		}
		opt = append(opt, mail.WithSMTPAuth(mail.SMTPAuthAutoDiscover), mail.WithUsername(m.User), mail.WithPassword(password))
	}
	msg := mail.NewMsg()
	if err := errors.Join(msg.From(m.From), msg.To(m.To...)); err != nil {
		return err
	}
	msg.Subject(sqltext.CommentSafe(l.Subject))
	msg.SetMessageIDWithValue(l.ID + "@dapper-mirror")
	msg.SetDate()
	msg.SetBodyString(mail.TypeTextPlain, l.Text)
	if m.Attach && len(l.Report) > 0 {
		if err := msg.AttachReader(fmt.Sprintf("%s-%d.html", l.Task, l.Run), strings.NewReader(string(l.Report)), mail.WithFileContentType("text/html")); err != nil {
			return err
		}
	}
	c, err := mail.NewClient(u.Hostname(), opt...)
	if err != nil {
		return err
	}
	// A server that connects and then says nothing is waited for without an end; here
	// that has one.
	sent := make(chan error, 1)
	go func() { sent <- c.DialAndSendWithContext(ctx, msg) }()
	select {
	case err := <-sent:
		return err
	case <-ctx.Done():
		return ctx.Err()
	}
}

// trusted is whom a connection trusts: the system's certificates, or those of a file.
func trusted(host, file string) (*tls.Config, error) {
	c := &tls.Config{ServerName: host, MinVersion: tls.VersionTLS12}
	if file == "" {
		return c, nil
	}
	pem, err := os.ReadFile(file)
	if err != nil {
		return nil, fmt.Errorf("the certificates cannot be read: %w", err)
	}
	c.RootCAs = x509.NewCertPool()
	if !c.RootCAs.AppendCertsFromPEM(pem) {
		return nil, fmt.Errorf("%s holds no certificate", file)
	}
	return c, nil
}

// Check tells what is wrong with how a webhook is described.
func (w *Webhook) Check() error {
	if w.Address != nil && w.URL == "" {
		return nil
	}
	_, err := hook(w.URL)
	return err
}

// hook reads the address of a webhook. What is sent goes in clear to this machine
// only.
func hook(text string) (*url.URL, error) {
	u, err := url.Parse(text)
	if err != nil || u.Hostname() == "" || u.Scheme != "https" && u.Scheme != "http" {
		return nil, errors.New("url is https://HOST/PATH, or says where it comes from, as {env: NAME}")
	}
	if ip := net.ParseIP(u.Hostname()); u.Scheme == "http" && u.Hostname() != "localhost" && (ip == nil || !ip.IsLoopback()) {
		return nil, errors.New("a webhook beyond this machine is reached by https:// only")
	}
	return u, nil
}

// Signature is the header value for a body: an HMAC with SHA-256 over the moment,
// in seconds since 1970, a dot and the body, as RFC 2104 has it.
func Signature(secret, moment string, body []byte) string {
	h := hmac.New(sha256.New, []byte(secret))
	h.Write([]byte(moment + "."))
	h.Write(body)
	return "sha256=" + hex.EncodeToString(h.Sum(nil))
}

func (w *Webhook) send(ctx context.Context, l Letter) error {
	at := w.URL
	if w.Address != nil {
		var err error
		if at, err = w.Address.Get(ctx, "webhook", nil); err != nil {
			return err
		}
	}
	u, err := hook(at)
	if err != nil {
		return err
	}
	trust, err := trusted(u.Hostname(), w.CA)
	if err != nil {
		return err
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, at, strings.NewReader(string(l.Payload)))
	if err != nil {
		return errors.New("its address is not understood") // the error has the address in it
	}
	moment := strconv.FormatInt(time.Now().Unix(), 10)
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("User-Agent", "dapper-mirror")
	req.Header.Set("Dapper-Mirror-Id", l.ID)
	req.Header.Set("Dapper-Mirror-Moment", moment)
	if w.Secret != nil {
		secret, err := w.Secret.Get(ctx, "webhook", nil)
		if err != nil {
			return err
		}
		req.Header.Set("Dapper-Mirror-Signature", Signature(secret, moment, l.Payload))
	}
	c := http.Client{Transport: &http.Transport{TLSClientConfig: trust, Proxy: http.ProxyFromEnvironment, DisableKeepAlives: true},
		// What was signed for one place is not told to another.
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	res, err := c.Do(req)
	if err != nil {
		var at *url.Error
		if errors.As(err, &at) { // without the address
			err = at.Err
		}
		return err
	}
	defer res.Body.Close()
	_, _ = io.CopyN(io.Discard, res.Body, mostAnswer) // so that it may end in order
	if res.StatusCode/100 != 2 {
		return fmt.Errorf("it answered %s", sqltext.CommentSafe(res.Status))
	}
	return nil
}

// run hands the letter to a command, as JSON on its input.
func run(ctx context.Context, command []string, l Letter, output io.Writer) error {
	cmd := exec.CommandContext(ctx, command[0], command[1:]...)
	cmd.Stdin = strings.NewReader(string(l.Payload))
	cmd.Env = append(os.Environ(), "DAPPER_MIRROR_TASK="+l.Task, "DAPPER_MIRROR_RESULT="+l.Result, "DAPPER_MIRROR_RUN="+strconv.Itoa(l.Run), "DAPPER_MIRROR_SUMMARY="+sqltext.CommentSafe(l.Subject))
	cmd.Stdout, cmd.Stderr, cmd.WaitDelay = output, output, time.Second
	return cmd.Run()
}
