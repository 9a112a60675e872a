"""What the bird station of Marrowfen adds to Jovial Atlas."""
