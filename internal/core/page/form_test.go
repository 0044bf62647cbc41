package page

import (
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func at(t testing.TB, address string) *url.URL {
	t.Helper()
	u, err := url.Parse(address)
	require.NoError(t, err)
	return u
}

func signIn(t *testing.T, raw string, hints Hints) (Form, string) {
	t.Helper()
	f, trace, err := SignIn(raw, at(t, "https://pier.example/app/login?next=1"), hints)
	if err != nil {
		assert.Equal(t, err.Error(), trace.Answer)
		return f, err.Error()
	}
	assert.Equal(t, "By the "+f.Called, trace.Answer)
	return f, ""
}

func TestTheFormIsFoundByItself(t *testing.T) {
	for name, c := range map[string]struct {
		raw  string
		want Form
	}{
		"an ordinary one": {
			`<form id=in method=post action="/session"><input type=hidden name=token value="a&amp;b"><input name=user>
			<input type=password name=pw><input type=checkbox name=stay><button name=go value=in>Sign in</button></form>`,
			Form{"form “in”", at(t, "https://pier.example/session"), "POST", Encoded,
				[]Pair{{"token", "a&b"}, {"go", "in"}}, "user", "pw"},
		},
		"without names of its own, in a table": {
			`<table><form method=POST><tr><td><input type=text name=f1></td></tr>
			<tr><td><input type=PASSWORD name=f2></td></tr></form></table>`,
			Form{"form number 1 of the page", at(t, "https://pier.example/app/login?next=1"), "POST", Encoded, nil, "f1", "f2"},
		},
		"beside a search and a registration": {
			`<form action=/find><input name=q></form>
			<form method=post action=/join><input name=mail type=email><input type=password name=a><input type=password name=b></form>
			<form method=post action=in><input name=who><input type=password name=word></form>`,
			Form{"form number 3 of the page", at(t, "https://pier.example/app/in"), "POST", Encoded, nil, "who", "word"},
		},
		"fields that stand elsewhere, and a base": {
			`<base href="https://in.pier.example/x/"><input form=f name=login><form id=f method=post action=go enctype=multipart/form-data>
			<input type=password name=pw><select name=site><option value=1>North<option selected>Gull Rock</select></form>
			<textarea form=f name=note>hello</textarea>`,
			Form{"form “f”", at(t, "https://in.pier.example/x/go"), "POST", Multipart,
				[]Pair{{"site", "Gull Rock"}, {"note", "hello"}}, "login", "pw"},
		},
		"what the page says that fields are for": {
			`<form method=post><input name=captcha-free autocomplete=off>
			<input name=id7 autocomplete="section-a username"><input name=company>
			<input type=password name=otp><input type=password name=pw autocomplete=current-password></form>`,
			Form{"form number 1 of the page", at(t, "https://pier.example/app/login?next=1"), "POST", Encoded, []Pair{
				{"captcha-free", ""}, {"company", ""}, {"otp", ""}}, "id7", "pw"},
		},
		"a button that sends it elsewhere": {
			`<form><input name=account><input name=pw type=password><input type=submit disabled name=no value=1>
			<button type=button name=help>?</button><input type=image name=go formaction=/b formmethod=post></form>`,
			Form{"form number 1 of the page", at(t, "https://pier.example/b"), "POST", Encoded,
				[]Pair{{"go.x", "0"}, {"go.y", "0"}}, "account", "pw"},
		},
		"a name first": {
			`<form method=post action=/next><input type=email name=identifier autocomplete=username></form>`,
			Form{"form number 1 of the page", at(t, "https://pier.example/next"), "POST", Encoded, nil, "identifier", ""},
		},
		"a password alone": {
			`<form method=post><input type=password name=pin></form>`,
			Form{"form number 1 of the page", at(t, "https://pier.example/app/login?next=1"), "POST", Encoded, nil, "", "pin"},
		},
		"ticked boxes go along": {
			`<form method=post><input name=user><input type=password name=pw><input type=checkbox name=a checked>
			<input type=radio name=r value=1><input type=radio name=r value=2 checked><input type=file name=f></form>`,
			Form{"form number 1 of the page", at(t, "https://pier.example/app/login?next=1"), "POST", Encoded,
				[]Pair{{"a", "on"}, {"r", "2"}}, "user", "pw"},
		},
	} {
		got, problem := signIn(t, c.raw, Hints{})
		assert.Empty(t, problem, name)
		assert.Equal(t, c.want, got, name)
	}
}

func TestHintsSayWhatIsMeant(t *testing.T) {
	raw := `<form id=a method=post action=/a><input name=user><input type=password name=pw></form>
		<form name=b method=post action=/b><input id=who name=x><input name=word><input name=after></form>`
	got, problem := signIn(t, raw, Hints{Form: "b", User: "who", Password: "word"})
	assert.Empty(t, problem)
	assert.Equal(t, "/b", got.Action.Path)
	assert.Equal(t, []string{"x", "word"}, []string{got.User, got.Password})
	assert.Equal(t, []Pair{{"after", ""}}, got.Fields)
	got, _ = signIn(t, raw, Hints{Form: "a"})
	assert.Equal(t, "/a", got.Action.Path)
	_, problem = signIn(t, raw, Hints{Form: "c"})
	assert.Equal(t, "no form of the page has what the hints name", problem)
	_, problem = signIn(t, raw, Hints{Password: "nothing"})
	assert.Equal(t, "no form of the page has what the hints name", problem)
}

func TestWhyThereIsNoFormIsTold(t *testing.T) {
	const script = ": a script signs people in, which is not run here"
	for _, c := range []struct{ raw, want string }{
		{`<h1>Welcome</h1>`, "the page has no form"},
		{`<div id=app></div><script src=x></script>`, "the page has no form; a script may make one, which is not run here"},
		{`<form><input name=q></form>`, "no form of the page asks for a password, or for the name to sign in with"},
		{`<form><input type=email name=mail></form>`, "no form of the page asks for a password, or for the name to sign in with"},
		{`<input name=u><input type=password name=p>`, "the page asks for a password outside of any form" + script},
		{`<form><input><input type=password></form>`, "its fields have no names, so that nothing is sent of them" + script},
		{`<!-- <form><input type=password name=p> -->`, "the page has no form"},
		{`<form action="javascript:go()"><input name=u><input type=password name=p></form>`, "its form is sent to no page" + script},
		{`<template><form><input type=password name=p></form></template>`, "the page has no form"},
	} {
		_, problem := signIn(t, c.raw, Hints{})
		assert.Equal(t, c.want, problem, c.raw)
	}
	_, trace, _ := SignIn(`<form id=find><input name=q></form>`, at(t, "https://pier.example/"), Hints{})
	assert.Equal(t, "form “find”: it asks for no password", trace.Facts[0].Text)
}

func TestPagesThatAskAndPagesThatSendOn(t *testing.T) {
	assert.True(t, Asks(`<form><INPUT TYPE="Password"></form>`))
	assert.False(t, Asks(`<script>'<form><input type=password>'</script>`))
	from := at(t, "https://pier.example/a/b")
	for raw, want := range map[string]string{
		`<meta http-equiv="Refresh" content="0; url='../c?x=1'">`:                    "https://pier.example/c?x=1",
		`<meta http-equiv=refresh content="5;URL = https://other.example/">`:         "https://other.example/",
		`<base href=/deep/><meta http-equiv=refresh content="1; url=in">`:            "https://pier.example/deep/in",
		`<meta http-equiv=refresh content="30">`:                                     "",
		`<meta http-equiv=refresh content="0;url=javascript:alert(1)">`:              "",
		`<meta http-equiv=refresh content="0;url=">`:                                 "",
		`<meta name=refresh content="0;url=/c">`:                                     "",
		`<!-- <meta http-equiv=refresh content="0;url=/c"> -->`:                      "",
		`<noscript><meta http-equiv=refresh content="0;url=/no-script"></noscript>x`: "https://pier.example/no-script",
	} {
		got := ""
		if u := Refresh(raw, from); u != nil {
			got = u.String()
		}
		assert.Equal(t, want, got, raw)
	}
}

// Whatever a page holds: it is read within bounds, and what is found can be sent.
func FuzzSignIn(f *testing.F) {
	f.Add(`<form method=post><input name=user><input type=password name=pw></form>`)
	f.Add(`<table><form><select name=a><option><textarea></form><base href="%"><input form=x type=image>`)
	f.Add(strings.Repeat(`<form><input type=password name=`, 100))
	from, _ := url.Parse("https://pier.example/a")
	f.Fuzz(func(t *testing.T, raw string) {
		form, trace, err := SignIn(raw, from, Hints{})
		Refresh(raw, from)
		if err != nil {
			assert.NotEmpty(t, trace.Answer)
			return
		}
		assert.Contains(t, []string{"http", "https"}, form.Action.Scheme)
		assert.NotEmpty(t, form.User+form.Password)
		assert.LessOrEqual(t, len(form.Fields), 2*mostControls)
		assert.True(t, form.Password == "" || Asks(raw))
	})
}
