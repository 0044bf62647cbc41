package main

import (
	"bufio"
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"strings"

	"tirelessowl/internal/app"
	"tirelessowl/internal/config"
	"tirelessowl/internal/domain"
)

// level is the one flag that people and keys share.
type level struct {
	Level string `required:"" enum:"see,operate,configure,administer" help:"${enum}"`
}

type userAdd struct {
	level
	Name    string `required:"" help:"Name to sign in with."`
	Display string `            help:"Name to be shown; default the name."`
}

// Run is "owl user add".
func (u userAdd) Run(ctx context.Context, c config.Config) error {
	secret, err := password()
	if err != nil {
		return err
	}
	return app.WithAccounts(ctx, c, "owl user add", os.Stdout, func(a app.Accounts) error {
		return a.AddUser(ctx, u.Name, cmp.Or(u.Display, u.Name), u.Level, secret)
	})
}

// password reads a password from standard input.
func password() (domain.Secret, error) {
	fmt.Fprint(os.Stderr, "Password: ")
	line, err := bufio.NewReader(os.Stdin).ReadString('\n')
	if err != nil && line == "" {
		return "", errors.New("no password was given")
	}
	return domain.Secret(strings.TrimRight(line, "\r\n")), nil
}

type userList struct{}

// Run is "owl user list".
func (userList) Run(ctx context.Context, c config.Config) error {
	return app.WithAccounts(ctx, c, "owl user list", os.Stdout, func(a app.Accounts) error { return a.Users(ctx) })
}

type userPassword struct {
	Name          string `required:"" help:"Name to sign in with."`
	ForgetFactors bool   `            help:"Take away the second factors, too: they are lost."`
}

// Run is "owl user password".
func (u userPassword) Run(ctx context.Context, c config.Config) error {
	secret, err := password()
	if err != nil {
		return err
	}
	return app.WithAccounts(ctx, c, "owl user password", os.Stdout, func(a app.Accounts) error {
		return a.SetPassword(ctx, u.Name, secret, u.ForgetFactors)
	})
}

type keyRotate struct{}

// Run is "owl key rotate".
func (keyRotate) Run(ctx context.Context, c config.Config) error {
	return app.RotateKey(ctx, c, func(text string) { fmt.Println(text) })
}

type tokenCreate struct {
	level
	Name string `required:"" help:"What the key is for."`
}

// Run is "owl token create".
func (t tokenCreate) Run(ctx context.Context, c config.Config) error {
	return app.WithAccounts(ctx, c, "owl token create", os.Stdout, func(a app.Accounts) error {
		return a.CreateToken(ctx, t.Name, t.Level)
	})
}

type tokenList struct{}

// Run is "owl token list".
func (tokenList) Run(ctx context.Context, c config.Config) error {
	return app.WithAccounts(ctx, c, "owl token list", os.Stdout, func(a app.Accounts) error { return a.Tokens(ctx) })
}

type tokenRemove struct {
	ID domain.ID `required:"" help:"Number of the key, from the list."`
}

// Run is "owl token remove".
func (t tokenRemove) Run(ctx context.Context, c config.Config) error {
	return app.WithAccounts(ctx, c, "owl token remove", os.Stdout, func(a app.Accounts) error { return a.RemoveToken(ctx, t.ID) })
}
