package snmp

import (
	"fmt"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/usm"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/protocol/snmp"
)

// The kinds of credential, by version.
const (
	V1  = "snmp-v1"
	V2c = "snmp-v2c"
	V3  = "snmp-v3"
)

var community = field.Field{Name: "community", Label: "Community", Kind: field.Secret, Required: true}

var credentials = []way.Credential{
	{Name: V2c, Title: "SNMP v2c community", Fields: []field.Field{community}},
	{Name: V3, Title: "SNMP v3 user", Fields: user, Check: checkUser},
	{Name: V1, Title: "SNMP v1 community", Fields: []field.Field{community}},
}

// user are the fields of somebody whom agents know (RFC 3414). What is weak is offered last,
// and says so.
var user = []field.Field{
	{Name: "user", Label: "User name", Kind: field.Text, Required: true, Check: atMost(32)},
	{Name: "context", Label: "Context", Kind: field.Text, Help: "A part of what an agent tells of; usually empty.", Check: atMost(255)},
	{
		Name: "auth", Label: "Authentication", Kind: field.Choice, Default: string(usm.SHA256),
		Choices: names(usm.SHA256, usm.SHA384, usm.SHA512, usm.SHA224, usm.SHA1, usm.MD5, usm.NoAuth),
		Labels: map[string]string{
			string(usm.SHA224): "SHA-224", string(usm.SHA256): "SHA-256", string(usm.SHA384): "SHA-384", string(usm.SHA512): "SHA-512",
			string(usm.SHA1): "SHA-1 (outdated)", string(usm.MD5): "MD5 (broken)",
			string(usm.NoAuth): "none (anybody may answer, and ask)",
		},
	},
	{Name: "auth_password", Label: "Password of authentication", Kind: field.Secret, Check: checkPassword},
	{
		Name: "privacy", Label: "Privacy", Kind: field.Choice, Default: string(usm.AES128),
		Choices: names(usm.AES128, usm.AES256, usm.AES256Chained, usm.AES192, usm.AES192Chained, usm.DES, usm.NoPrivacy),
		Help:    "Beyond AES-128 there is no standard: vendors lengthen the key in one of two ways.",
		Labels: map[string]string{
			string(usm.AES128): "AES-128",
			string(usm.AES192): "AES-192, key hashed on", string(usm.AES256): "AES-256, key hashed on",
			string(usm.AES192Chained): "AES-192, key chained", string(usm.AES256Chained): "AES-256, key chained",
			string(usm.DES): "DES (broken)", string(usm.NoPrivacy): "none (all on the way can read)",
		},
	},
	{Name: "priv_password", Label: "Password of privacy", Kind: field.Secret, Check: checkPassword},
}

// atMost refuses what has more bytes.
func atMost(n int) func(string) string {
	return func(v string) string {
		if len(v) > n {
			return fmt.Sprintf("At most %d characters.", n)
		}
		return ""
	}
}

func names[T ~string](all ...T) []string {
	out := make([]string, len(all))
	for i, x := range all {
		out[i] = string(x)
	}
	return out
}

func checkPassword(v string) string {
	if len(v) < usm.MinPassword {
		return fmt.Sprintf("Must have at least %d characters.", usm.MinPassword)
	}
	return ""
}

// checkUser says what is wrong with a user as a whole.
func checkUser(s way.Settings, secrets map[string]bool) map[string]string {
	auth, private := s["auth"] != string(usm.NoAuth), s["privacy"] != string(usm.NoPrivacy)
	errs := map[string]string{}
	if private && !auth {
		errs["privacy"] = "Privacy needs authentication: choose one, or none of both."
	}
	if auth && !secrets["auth_password"] {
		errs["auth_password"] = "Must be set for authentication."
	}
	if private && !secrets["priv_password"] {
		errs["priv_password"] = "Must be set for privacy."
	}
	return errs
}

// With lets a target be asked with a credential.
func With(c way.Opened, t snmp.Target) snmp.Target {
	if c.Kind != V3 {
		t.Community, t.First = c.Secrets["community"], c.Kind == V1
		return t
	}
	t.User = &snmp.User{Context: c.Settings["context"], User: usm.User{
		Name:         c.Settings["user"],
		Auth:         usm.Auth(c.Settings["auth"]),
		AuthPassword: c.Secrets["auth_password"],
		Privacy:      usm.Privacy(c.Settings["privacy"]),
		PrivPassword: c.Secrets["priv_password"],
	}}
	return t
}
