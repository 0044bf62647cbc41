package localpg

import (
	"context"
	"crypto/rand"
	"fmt"
	"net"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"sort"
	"strconv"
	"strings"
	"syscall"
)

// prepare makes the cluster once and returns its password.
func prepare(ctx context.Context, bin, dir, data string, opt Options) (string, error) {
	secret := filepath.Join(dir, "password")
	if text, err := os.ReadFile(secret); err == nil {
		if _, err := os.Stat(filepath.Join(data, "PG_VERSION")); err == nil {
			return strings.TrimSpace(string(text)), nil
		}
	}
	opt.Log("making a private database cluster")
	if err := os.MkdirAll(filepath.Dir(dir), ThroughOnly()); err != nil {
		return "", err
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return "", err
	}
	password := rand.Text()
	if opt.CopyOf != nil {
		password = opt.CopyOf.password()
	}
	if err := os.WriteFile(secret, []byte(password+"\n"), 0o600); err != nil {
		return "", err
	}
	if err := own(dir, secret); err != nil {
		return "", err
	}
	if opt.CopyOf != nil {
		return password, copied(ctx, bin, data, opt.CopyOf)
	}
	return password, made(ctx, bin, data, secret)
}

// made makes a cluster that lets in whoever knows a password, from this machine.
func made(ctx context.Context, bin, data, secret string) error {
	err := run(ctx, filepath.Join(bin, "initdb"), "-D", data, "-U", "owl", "--pwfile", secret,
		"--auth", "scram-sha-256", "--encoding", "UTF8", "--locale", "C.UTF-8", "--no-sync")
	if err != nil {
		return err
	}
	file, err := os.OpenFile(filepath.Join(data, "pg_hba.conf"), os.O_APPEND|os.O_WRONLY, 0)
	if err != nil {
		return err
	}
	defer file.Close()
	_, err = file.WriteString("host all all 127.0.0.0/8 scram-sha-256\nhost replication all 127.0.0.0/8 scram-sha-256\n")
	return err
}

// copied makes a cluster that follows another server.
func copied(ctx context.Context, bin, data string, of *Server) error {
	if err := os.RemoveAll(data); err != nil { // of a copy that was broken off
		return err
	}
	return run(ctx, filepath.Join(bin, "pg_basebackup"), "-D", data, "-d", of.URL,
		"--write-recovery-conf", "--checkpoint=fast", "--no-sync")
}

// run runs a program of the server as the user of the server.
func run(ctx context.Context, program string, args ...string) error {
	cmd := exec.CommandContext(ctx, program, args...)
	cmd.Dir = "/"
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Credential: credential()}
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("%s: %w: %s", filepath.Base(program), err, out)
	}
	return nil
}

// password is what its owner signs in with.
func (s *Server) password() string {
	u, err := url.Parse(s.URL)
	if err != nil {
		return ""
	}
	password, _ := u.User.Password()
	return password
}

func address(password, host string, port int) string {
	return fmt.Sprintf("postgres://owl:%s@%s:%d/postgres?sslmode=disable", password, host, port)
}

// running returns process and port of a server that uses the cluster, or zeros.
func running(data string) (pid, port int) {
	text, err := os.ReadFile(filepath.Join(data, "postmaster.pid"))
	if err != nil {
		return 0, 0
	}
	lines := strings.Split(string(text), "\n")
	if len(lines) < 4 {
		return 0, 0
	}
	pid, _ = strconv.Atoi(lines[0])
	port, _ = strconv.Atoi(lines[3])
	return pid, port
}

// alive tells whether a process is a server of the cluster: its number may be
// another's by now.
func alive(pid int, data string) bool {
	if pid <= 0 || syscall.Kill(pid, 0) == syscall.ESRCH {
		return false
	}
	line, err := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", pid))
	return err != nil || strings.Contains(string(line), data)
}

// programs finds the newest installed server.
func programs() (string, error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/postgres")
	if len(found) == 0 {
		if path, err := exec.LookPath("postgres"); err == nil {
			return filepath.Dir(path), nil
		}
		return "", ErrNotInstalled
	}
	version := func(path string) int {
		n, _ := strconv.Atoi(filepath.Base(filepath.Dir(filepath.Dir(path))))
		return n
	}
	sort.Slice(found, func(i, j int) bool { return version(found[i]) > version(found[j]) })
	return filepath.Dir(found[0]), nil
}

// credential is the user that the server runs as: it refuses root, so root
// uses the user that the package made. Others use their own rights.
func credential() *syscall.Credential {
	uid, gid, ok := serverUser()
	if !ok {
		return nil
	}
	return &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}
}

func serverUser() (uid, gid int, ok bool) {
	if os.Geteuid() != 0 {
		return 0, 0, false
	}
	u, err := user.Lookup("postgres")
	if err != nil {
		return 0, 0, false
	}
	uid, _ = strconv.Atoi(u.Uid)
	gid, _ = strconv.Atoi(u.Gid)
	return uid, gid, true
}

// ThroughOnly is the mode of folders above the cluster: readable by their owner alone, and
// such that the server's own user gets through where that is another one.
func ThroughOnly() os.FileMode {
	if _, _, ok := serverUser(); ok {
		return 0o711
	}
	return 0o700
}

func own(paths ...string) error {
	uid, gid, ok := serverUser()
	if !ok {
		return nil
	}
	for _, p := range paths {
		if err := os.Chown(p, uid, gid); err != nil {
			return err
		}
	}
	return nil
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}
