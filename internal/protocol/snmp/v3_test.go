package snmp

import (
	"net"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/gosnmp/gosnmp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/usm"
	"tirelessowl/internal/sim"
)

// agent speaks version 3 by the library's own model of users, of which ours knows nothing.
type agent struct {
	sim.Engine
	boots atomic.Uint32
	began atomic.Int64 // in Unix seconds
	asked atomic.Int32
	// forge changes what is sent.
	forge func(b []byte) []byte
	mu    sync.Mutex
}

// change changes the agent between two requests.
func (a *agent) change(f func(*agent)) {
	a.mu.Lock()
	defer a.mu.Unlock()
	f(a)
}

func (a *agent) answer(b []byte) []byte {
	a.mu.Lock()
	defer a.mu.Unlock()
	out := a.Answer(b, reply3)
	if a.forge != nil && out != nil {
		out = a.forge(out)
	}
	return out
}

var theirAuth = map[usm.Auth]gosnmp.SnmpV3AuthProtocol{
	usm.NoAuth: gosnmp.NoAuth, usm.MD5: gosnmp.MD5, usm.SHA1: gosnmp.SHA, usm.SHA224: gosnmp.SHA224,
	usm.SHA256: gosnmp.SHA256, usm.SHA384: gosnmp.SHA384, usm.SHA512: gosnmp.SHA512,
}

var theirPrivacy = map[usm.Privacy]gosnmp.SnmpV3PrivProtocol{
	usm.NoPrivacy: gosnmp.NoPriv, usm.DES: gosnmp.DES, usm.AES128: gosnmp.AES, usm.AES192: gosnmp.AES192,
	usm.AES256: gosnmp.AES256, usm.AES192Chained: gosnmp.AES192C, usm.AES256Chained: gosnmp.AES256C,
}

func (a *agent) listen(t *testing.T) Target {
	t.Helper()
	conn, err := net.ListenUDP("udp4", &net.UDPAddr{IP: net.IPv4(127, 0, 0, 1)})
	require.NoError(t, err)
	done := make(chan struct{})
	t.Cleanup(func() { conn.Close(); <-done })
	go func() {
		defer close(done)
		buf := make([]byte, 65535)
		for {
			n, from, err := conn.ReadFromUDP(buf)
			if err != nil {
				return
			}
			a.asked.Add(1)
			_, _ = conn.WriteToUDP(a.answer(append([]byte(nil), buf[:n]...)), from)
		}
	}()
	return Target{Address: conn.LocalAddr().(*net.UDPAddr).AddrPort(), Timeout: 300 * time.Millisecond, Retries: 1}
}

// reply3 tells for which context each object was asked.
func reply3(req *gosnmp.SnmpPacket) *gosnmp.SnmpPacket {
	out := &gosnmp.SnmpPacket{PDUType: gosnmp.GetResponse, RequestID: req.RequestID}
	for _, v := range req.Variables {
		said := gosnmp.SnmpPDU{Name: v.Name, Type: gosnmp.OctetString, Value: []byte("at " + req.ContextName)}
		out.Variables = append(out.Variables, said)
	}
	return out
}

// newAgent is one that was booted three times and runs for an hour, with a target that asks it.
func newAgent(t *testing.T, u usm.User) (*agent, Target) {
	t.Helper()
	a := &agent{Engine: sim.Engine{ID: "\x80\x00\x7e\xd9\x04harbour", User: sim.SNMPUser{
		Name: u.Name,
		Auth: theirAuth[u.Auth], AuthPassword: u.AuthPassword.Reveal(),
		Priv: theirPrivacy[u.Privacy], PrivPassword: u.PrivPassword.Reveal(),
	}}}
	a.boots.Store(3)
	a.began.Store(time.Now().Add(-time.Hour).Unix())
	a.Clock = func() (boots, seconds uint32) { return a.boots.Load(), uint32(time.Now().Unix() - a.began.Load()) }
	target := a.listen(t)
	target.User = &User{User: u}
	return a, target
}

func somebody(auth usm.Auth, privacy usm.Privacy) usm.User {
	return usm.User{
		Name: "night-watch",
		Auth: auth, AuthPassword: "a lamp on the pier",
		Privacy: privacy, PrivPassword: "a rope at the quay",
	}
}

func uptime(t *testing.T, c *Client, target Target) (string, error) {
	t.Helper()
	values, err := c.Get(t.Context(), target, []string{"1.3.6.1.2.1.1.3.0"})
	if err != nil {
		return "", err
	}
	return values[0].Text, nil
}

// Each way to authenticate and to encrypt, against the library's.
func TestUsersAskInEveryWay(t *testing.T) {
	for auth := range theirAuth {
		for privacy := range theirPrivacy {
			if auth == usm.NoAuth && privacy != usm.NoPrivacy {
				continue
			}
			t.Run(string(auth)+" "+string(privacy), func(t *testing.T) {
				t.Parallel()
				a, target := newAgent(t, somebody(auth, privacy))
				c := client(t)
				target.User.Context = "pier"
				for range 3 {
					got, err := uptime(t, c, target)
					require.NoError(t, err)
					assert.Equal(t, "at pier", got)
				}
				assert.Equal(t, int32(4), a.asked.Load(), "the engine is asked for once")
			})
		}
	}
}

func TestWhatAnAgentDoesNotAcceptIsToldApart(t *testing.T) {
	for name, c := range map[string]struct {
		change func(*User)
		says   string
	}{
		"another user":             {func(u *User) { u.Name = "nobody" }, "does not know the user"},
		"another password":         {func(u *User) { u.AuthPassword = "a lamp on the quay" }, "wrong digest"},
		"another way":              {func(u *User) { u.Auth = usm.SHA512 }, "wrong digest"},
		"another one for privacy":  {func(u *User) { u.PrivPassword = "a rope at the pier" }, "decryption error"},
		"less protection":          {func(u *User) { u.Privacy = usm.NoPrivacy }, "unsupported security level"},
		"no protection whatsoever": {func(u *User) { u.Auth, u.Privacy = usm.NoAuth, usm.NoPrivacy }, "unsupported security level"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			a, target := newAgent(t, somebody(usm.SHA256, usm.AES128))
			c.change(target.User)
			_, err := uptime(t, client(t), target)
			assert.ErrorIs(t, err, ErrDenied)
			assert.ErrorContains(t, err, c.says)
			assert.LessOrEqual(t, a.asked.Load(), int32(2), "asking again would not help")
		})
	}
	_, target := newAgent(t, somebody(usm.SHA1, usm.DES))
	target.User = &User{}
	_, err := uptime(t, client(t), target)
	assert.ErrorIs(t, err, usm.ErrUser)
}

// Some agents pass over what they cannot decrypt. Who told its engine just before is there.
func TestAnAgentThatIsSilentToAUserIsThere(t *testing.T) {
	a, target := newAgent(t, somebody(usm.SHA256, usm.AES128))
	a.change(func(a *agent) {
		a.forge = func(b []byte) []byte {
			if a.asked.Load() > 1 {
				return nil
			}
			return b
		}
	})
	target.Timeout, target.Retries = 100*time.Millisecond, 0
	_, err := uptime(t, client(t), target)
	assert.ErrorIs(t, err, ErrDenied)
	assert.ErrorContains(t, err, "is silent to this user")
}

// After a restart the engine's clock begins anew, with one more boot.
func TestTheClockOfAnEngineIsFollowed(t *testing.T) {
	a, target := newAgent(t, somebody(usm.SHA256, usm.AES128))
	c := client(t)
	ask := func(because string) {
		t.Helper()
		_, err := uptime(t, c, target)
		require.NoError(t, err, because)
	}
	ask("at first")
	a.boots.Add(1)
	a.began.Store(time.Now().Unix())
	ask("after a restart")
	asked := a.asked.Load()
	ask("known again")
	assert.Equal(t, asked+1, a.asked.Load())
	a.began.Store(time.Now().Add(-time.Hour).Unix())
	ask("its clock was set forward")
	a.change(func(a *agent) { a.ID = "\x80\x00\x7e\xd9\x04another" })
	ask("another device stands at the address")

	a.boots.Store(1) // it remembers nothing, against the standard
	a.began.Store(time.Now().Unix())
	_, err := uptime(t, c, target)
	assert.ErrorIs(t, err, ErrNoAnswer, "an older clock may be an old message")
	ask("once the engine is asked for anew")
}

func TestAnswersThatAreNotAuthenticAreNotTaken(t *testing.T) {
	for name, spoil := range map[string]func(*agent){
		"a bit is turned": func(a *agent) {
			a.forge = func(b []byte) []byte { b[len(b)-1] ^= 1; return b }
		},
		"the code is another": func(a *agent) {
			a.forge = func(b []byte) []byte { b[len(b)/2] ^= 1; return b }
		},
		"less protected": func(a *agent) {
			a.Spoil = func(p *gosnmp.SnmpPacket) { p.MsgFlags = gosnmp.NoAuthNoPriv }
		},
		"of another boot": func(a *agent) {
			a.Spoil = func(p *gosnmp.SnmpPacket) {
				p.SecurityParameters.(*gosnmp.UsmSecurityParameters).AuthoritativeEngineBoots--
			}
		},
		"three minutes old": func(a *agent) {
			a.Spoil = func(p *gosnmp.SnmpPacket) {
				p.SecurityParameters.(*gosnmp.UsmSecurityParameters).AuthoritativeEngineTime -= 180
			}
		},
		"of another user": func(a *agent) {
			a.Spoil = func(p *gosnmp.SnmpPacket) {
				p.SecurityParameters.(*gosnmp.UsmSecurityParameters).UserName = "somebody else"
			}
		},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			a, target := newAgent(t, somebody(usm.SHA256, usm.AES128))
			c := client(t)
			target.Timeout, target.Retries = 150*time.Millisecond, 0
			if _, err := uptime(t, c, target); err != nil {
				require.ErrorIs(t, err, ErrNoAnswer)
			}
			a.change(spoil)
			_, err := uptime(t, c, target)
			assert.ErrorIs(t, err, ErrNoAnswer)
		})
	}
}

// Who does not know the key reports what he likes: the clock is not set by it.
func TestAReportThatIsNotAuthenticSetsNoClock(t *testing.T) {
	_, target := newAgent(t, somebody(usm.SHA256, usm.NoPrivacy))
	c := client(t)
	_, err := uptime(t, c, target)
	require.NoError(t, err)
	e := c.engines.at(target.Address)
	boots, _ := e.clock(time.Now())
	far := envelope{engine: e.id, boots: boots + 9, flags: 0}
	assert.ErrorIs(t, e.told(&report{notInWindow}, far, false), errNotSNMP)
	got, _ := e.clock(time.Now())
	assert.Equal(t, boots, got)
}

func TestEnginesThatCannotBe(t *testing.T) {
	for _, id := range []string{"", "four", "an engine id that has thirty-three"} {
		a, target := newAgent(t, somebody(usm.SHA1, usm.NoPrivacy))
		a.change(func(a *agent) { a.ID = id })
		_, err := client(t).EngineID(t.Context(), target)
		assert.Error(t, err, id)
	}
	a, target := newAgent(t, somebody(usm.SHA1, usm.NoPrivacy))
	id, err := client(t).EngineID(t.Context(), target)
	require.NoError(t, err)
	assert.Equal(t, a.ID, string(id))
}

func FuzzMessagesOfVersion3(f *testing.F) {
	m, err := somebody(usm.SHA256, usm.AES128).Masters()
	require.NoError(f, err)
	k := m.At([]byte("an engine"))
	pdu, err := pduOf(&gosnmp.SnmpPacket{PDUType: gosnmp.GetRequest}, 7)
	require.NoError(f, err)
	f.Add(envelope{id: 7, flags: flagAuth | flagPriv, engine: []byte("an engine"), user: []byte("night-watch"), pdu: pdu}.sealed(k, 1))
	f.Add(envelope{id: 7, flags: flagReportable, pdu: pdu}.sealed(usm.Keys{}, 1))
	f.Fuzz(func(t *testing.T, b []byte) {
		for _, keys := range []usm.Keys{k, {}} {
			if m, err := opened(b, keys); err == nil {
				reportOf(m.pdu)
			}
		}
		_, _ = peekID(b)
	})
}
